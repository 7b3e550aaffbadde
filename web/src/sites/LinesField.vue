<script setup lang="ts">
import { computed, ref, watch } from 'vue'

/** A list edited as text, one entry a line, its parts apart by spaces or commas. */
const props = defineProps<{ label: string; hint: string; placeholder: string; rows: string[][]; width: number; error?: string | undefined }>()
const emit = defineEmits<{ change: [rows: string[][]] }>()
const toText = (rows: string[][]): string => rows.map((row) => row.join('  ')).join('\n')
const text = ref(toText(props.rows))
const missing = ref('')
watch(
  () => props.rows,
  (rows) => {
    if (toText(rows) !== toText(parsed.value)) text.value = toText(rows)
  },
)
const parsed = computed(() =>
  text.value
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean)
    .map((line) => line.split(/[\s,;]+/)),
)

function apply(): void {
  const wrong = parsed.value.find((row) => row.length !== props.width)
  missing.value = wrong ? `“${wrong.join(' ')}” has ${wrong.length} ${wrong.length === 1 ? 'part' : 'parts'} instead of ${props.width}.` : ''
  if (!wrong) emit('change', parsed.value)
}
</script>

<template>
  <label class="field">
    {{ label }}
    <textarea v-model="text" class="mono" :rows="Math.max(2, Math.min(8, rows.length + 1))" :placeholder="placeholder" spellcheck="false" @change="apply" />
    <small v-if="missing || error" class="error-text">{{ missing || error }}</small>
    <small v-else>{{ hint }}</small>
  </label>
</template>
