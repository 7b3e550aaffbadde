<script setup lang="ts">
import { ElDatePicker } from 'element-plus/es/components/date-picker/index.mjs'
import 'element-plus/es/components/date-picker/style/css'
import { computed } from 'vue'

/** Chooses a first and a last day from a calendar. Loaded only when somebody wants one. */
const props = defineProps<{ first: string; last: string; today: string }>()
const emit = defineEmits<{ choose: [first: string, last: string] }>()
const value = computed<[string, string]>(() => [props.first, props.last])

function take(days: [string, string] | null): void {
  if (days) emit('choose', days[0], days[1])
}
</script>

<template>
  <ElDatePicker
    :model-value="value"
    type="daterange"
    value-format="YYYY-MM-DD"
    format="D MMM YYYY"
    :clearable="false"
    :teleported="false"
    range-separator="–"
    :disabled-date="(date: Date) => date.getTime() > Date.parse(today + 'T23:59:59')"
    aria-label="First and last day"
    @update:model-value="take"
  />
</template>
