<script setup lang="ts">
import type { SeenValue } from '@acequia/core/readings/ValueCount'
import { computed, nextTick, ref, watch } from 'vue'
import { useRouter, type RouteLocationRaw } from 'vue-router'
import { api } from '../app/api'
import { times } from '../app/formatting'
import { useRange } from '../app/range'
import { theme } from '../app/theme'
import { useLoaded } from '../app/useLoaded'
import { useCurrentSite } from '../sites/currentSite'
import { STATIONS } from './stations'

/** Search over screens, the site's pages, goals, funnels, tags and commands; opened by `/` or Ctrl+K. */
interface Found {
  label: string
  kind: string
  /** An address, set as such. */
  mono?: boolean
  go?: RouteLocationRaw
  run?: () => void
}

const emit = defineEmits<{ keys: [] }>()
const current = useCurrentSite()
const router = useRouter()
const range = useRange()
const open = ref(false)
const text = ref('')
const chosen = ref(0)
const input = ref<HTMLInputElement>()
const things = ref<Found[]>([])
/** Goals, funnels and tags are still asked for. */
const gathering = ref(false)
/** Enter was pressed before there was anything to take: the first that comes is taken, unless something else is typed. */
const eager = ref(false)
let gatheredFor = ''

const to = (name: string, params: Record<string, string> = {}): RouteLocationRaw => ({ name, params: { key: current.key, ...params } })

const all = computed<Found[]>(() => [
  ...STATIONS.map((station) => ({ label: station.name, kind: 'screen', go: to(station.route) })),
  ...things.value,
  { label: 'New goal', kind: 'command', go: to('new-goal') },
  { label: 'New trigger', kind: 'command', go: to('trigger', { id: 'new' }) },
  { label: 'New tag', kind: 'command', go: to('tag', { id: 'new' }) },
  { label: 'New reading', kind: 'command', go: to('reading', { name: 'new' }) },
  { label: 'Relay links', kind: 'screen', go: to('relays') },
  { label: 'Wiring as a file', kind: 'screen', go: to('wiring-file') },
  { label: 'Settings of the site', kind: 'screen', go: to('site-settings') },
  { label: 'Dry run of the draft', kind: 'command', go: to('dry-run') },
  { label: 'Release the draft', kind: 'command', go: to('new-release') },
  { label: 'New site', kind: 'command', go: { name: 'new-site' } },
  { label: 'Light theme', kind: 'command', run: () => (theme.value = 'light') },
  { label: 'Dark theme', kind: 'command', run: () => (theme.value = 'dark') },
  { label: 'Theme of the device', kind: 'command', run: () => (theme.value = 'system') },
  { label: 'List of keys', kind: 'command', run: () => emit('keys') },
  ...current.sites
    .filter((site) => site.key !== current.key)
    .map((site) => ({ label: site.name, kind: 'site', go: { name: 'today', params: { key: site.key } } })),
])
/** What is looked for among the site's pages: only what somebody has begun to type. */
const wanted = computed(() => (open.value && current.site?.role !== 'reader' && text.value.trim().length > 1 ? text.value.trim() : ''))
const { data: pages, loading: turning } = useLoaded<SeenValue[]>(
  async (signal) =>
    wanted.value
      ? api('GET', `${current.path}/values?reading=path&event=page-view&search=${encodeURIComponent(wanted.value)}&${range.query}`, undefined, signal)
      : [],
  [wanted],
  250,
)
const found = computed<Found[]>(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean)
  return [
    ...all.value.filter((each) => words.every((word) => `${each.label} ${each.kind}`.toLowerCase().includes(word))).slice(0, 12),
    // An answer to what was typed before may still be there.
    ...(pages.value ?? [])
      .filter(({ text: path }) => wanted.value && path.toLowerCase().includes(wanted.value.toLowerCase()))
      .slice(0, 6)
      .map(({ text: path, events }) => ({
        label: path,
        mono: true,
        kind: `page, seen ${times(events)} in these days: count who reaches it`,
        go: { name: 'new-goal', params: { key: current.key }, query: { path } },
      })),
  ]
})

const looking = computed(() => gathering.value || turning.value)
watch([found, looking], () => {
  if (!eager.value) return
  if (found.value.length) take(found.value[0])
  else if (!looking.value) eager.value = false
})

/** What the site's things are, asked for at each opening; those of before stay meanwhile, but never another site's. */
async function gather(): Promise<void> {
  const { key } = current
  if (gatheredFor !== key) things.value = []
  gatheredFor = key
  gathering.value = true
  const [goals, funnels, wiring] = await Promise.all([
    api<{ id: string; name: string }[]>('GET', `${current.path}/goals`),
    api<{ id: string; name: string }[]>('GET', `${current.path}/funnels`),
    api<{ tags: { id: string; name: string }[] }>('GET', `${current.path}/wiring`),
  ]).catch(() => [[], [], { tags: [] }] as const)
  if (key !== current.key) return
  things.value = [
    ...goals.map((goal) => ({ label: goal.name, kind: 'goal', go: to('goal', { id: goal.id }) })),
    ...funnels.map((funnel) => ({ label: funnel.name, kind: 'funnel', go: to('funnel', { id: funnel.id }) })),
    ...wiring.tags.map((tag) => ({ label: tag.name, kind: 'tag', go: to('tag', { id: tag.id }) })),
  ]
  gathering.value = false
}

async function show(): Promise<void> {
  open.value = true
  text.value = ''
  chosen.value = 0
  eager.value = false
  void gather()
  await nextTick()
  input.value?.focus()
}

function enter(): void {
  eager.value = !found.value.length && text.value.trim() !== ''
  take(found.value[chosen.value])
}

function typed(): void {
  chosen.value = 0
  eager.value = false
}

function close(): void {
  open.value = false
  eager.value = false
}

function take(each: Found | undefined): void {
  if (!each) return
  close()
  each.run?.()
  if (each.go) void router.push(each.go)
}

defineExpose({ show })
</script>

<template>
  <button class="search" @click="show"><span>Search or do …</span><kbd>/</kbd></button>
  <div v-if="open" class="cover" @click.self="close">
    <div class="box" role="dialog" aria-label="Search" aria-modal="true" @keydown.esc="close">
      <input
        ref="input"
        v-model="text"
        role="combobox"
        aria-expanded="true"
        aria-controls="search-found"
        :aria-activedescendant="`search-found-${chosen}`"
        aria-label="Search screens, pages, goals, funnels, tags and commands"
        placeholder="A screen, page, goal, funnel, tag or command"
        @input="typed"
        @keydown.down.prevent="chosen = Math.min(chosen + 1, found.length - 1)"
        @keydown.up.prevent="chosen = Math.max(chosen - 1, 0)"
        @keydown.enter.prevent="enter"
        @keydown.tab.prevent
      />
      <ul id="search-found" role="listbox" aria-label="Found">
        <li
          v-for="(each, index) in found"
          :id="`search-found-${index}`"
          :key="each.kind + each.label + index"
          role="option"
          :aria-selected="index === chosen"
          @mousemove="chosen = index"
          @click="take(each)"
        >
          <span class="truncate" :class="{ mono: each.mono }">{{ each.label }}</span><small>{{ each.kind }}</small>
        </li>
      </ul>
      <p v-if="!found.length" class="hint" role="status">{{ looking ? 'Looking …' : 'Nothing here is called that.' }}</p>
    </div>
  </div>
</template>

<style scoped>
.search {
  min-width: 190px;
  justify-content: space-between;
  font-weight: 400;
  color: var(--ink-2);
}
.cover {
  position: fixed;
  inset: 0;
  z-index: 50;
  background: color-mix(in srgb, var(--ink) 22%, transparent);
}
.box {
  width: min(560px, 92vw);
  margin: 12vh auto 0;
  background: var(--plaster);
  border: 1px solid var(--water);
  border-radius: var(--radius);
  padding: 10px;
}
input {
  width: 100%;
  font-size: 16px;
  padding: 10px 12px;
}
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 7px 12px;
  border-radius: 4px;
  cursor: pointer;
}
li[aria-selected='true'] {
  background: var(--water-mist);
}
small {
  color: var(--ink-2);
}
.hint {
  margin: 10px 12px;
}
@media (max-width: 1100px) {
  .search {
    min-width: 0;
  }
  .search span {
    display: none;
  }
}
</style>
