<script setup lang="ts">
import { computed, ref } from 'vue'
import { download } from '../app/download'
import { csvOf, filterRows, sortRows, textOf, type Column, type Row } from './tableRows'

/** A table that can be sorted, filtered, narrowed to columns, copied and saved as CSV. Slots `cell-KEY` draw cells themselves. */
const props = defineProps<{ columns: Column[]; rows: readonly object[]; rowKey: string; name: string; pageSize?: number }>()
const rows = computed(() => props.rows as readonly Row[])

const sortKey = ref('')
const falling = ref(false)
const filter = ref('')
const hidden = ref(new Set<string>())
const shownRows = ref(props.pageSize ?? 50)
const said = ref('')

const visible = computed(() => props.columns.filter((column) => !hidden.value.has(column.key)))
const found = computed(() => {
  const kept = filterRows(props.columns, rows.value, filter.value)
  return sortKey.value ? sortRows(kept, sortKey.value, falling.value) : kept
})

function sortBy(column: Column): void {
  if (sortKey.value === column.key) falling.value = !falling.value
  else {
    sortKey.value = column.key
    falling.value = !!column.number
  }
}

async function copy(): Promise<void> {
  try {
    await navigator.clipboard.writeText(csvOf(visible.value, found.value, '\t'))
    said.value = `${found.value.length} rows copied`
  } catch {
    said.value = 'The browser did not allow copying; use CSV instead'
  }
  setTimeout(() => (said.value = ''), 2500)
}

function save(): void {
  download(csvOf(visible.value, found.value, ','), `${props.name}.csv`, 'text/csv')
}

function toggle(key: string): void {
  const next = new Set(hidden.value)
  if (!next.delete(key) && next.size < props.columns.length - 1) next.add(key)
  hidden.value = next
}
</script>

<template>
  <div class="data-table">
    <div class="tools no-print">
      <input v-model="filter" type="search" placeholder="Filter" :aria-label="`Filter ${name}`" />
      <span class="said" role="status">{{ said }}</span>
      <details class="choose">
        <summary class="quiet-summary">Columns</summary>
        <div class="menu">
          <label v-for="column in columns" :key="column.key"
            ><input type="checkbox" :checked="!hidden.has(column.key)" @change="toggle(column.key)" /> {{ column.name || column.key }}</label
          >
        </div>
      </details>
      <button type="button" class="quiet" @click="copy">Copy</button>
      <button type="button" class="quiet" @click="save">CSV</button>
    </div>
    <div class="scroll" tabindex="0" role="region" :aria-label="name">
      <table class="figures">
        <thead>
          <tr>
            <th
              v-for="column in visible"
              :key="column.key"
              :class="{ number: column.number }"
              :aria-sort="sortKey === column.key ? (falling ? 'descending' : 'ascending') : undefined"
            >
              <button type="button" class="head" :title="column.title" @click="sortBy(column)">
                {{ column.name }}<span v-if="sortKey === column.key" aria-hidden="true">{{ falling ? ' ↓' : ' ↑' }}</span>
              </button>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in found.slice(0, shownRows)" :key="String(row[rowKey])">
            <td v-for="column in visible" :key="column.key" :class="{ number: column.number }">
              <slot :name="`cell-${column.key}`" :row="row"
                ><span :class="{ mono: column.mono }">{{ textOf(column, row) }}</span></slot
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="!found.length" class="hint none">{{ rows.length ? 'No row contains this.' : 'Nothing here in these days.' }}</p>
    <button v-if="found.length > shownRows" type="button" class="quiet" @click="shownRows += 200">Show more of {{ found.length }}</button>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  justify-content: flex-end;
  align-items: center;
  gap: 10px;
  margin-bottom: 2px;
}
.tools input[type='search'] {
  padding: 3px 8px;
  width: 150px;
  margin-right: auto;
}
.said {
  color: var(--water);
  font-size: 12.5px;
}
.choose {
  position: relative;
}
.quiet-summary {
  list-style: none;
  cursor: pointer;
  font-size: 13px;
  color: var(--ink-2);
  border-bottom: 1px dashed var(--ink-3);
}
.menu {
  position: absolute;
  right: 0;
  top: 26px;
  z-index: 12;
  background: var(--plaster);
  border: 1px solid var(--water);
  border-radius: var(--radius);
  padding: 10px 14px;
  display: grid;
  gap: 4px;
  white-space: nowrap;
}
.scroll {
  overflow-x: auto;
}
.head {
  border: 0;
  background: none;
  padding: 0;
  font: inherit;
  color: inherit;
}
.none {
  padding: 10px 8px;
}
</style>
