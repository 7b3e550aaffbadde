<script setup lang="ts">
import { EVENT_READINGS } from '@acequia/core/readings/readEvent'
import { isReading } from '@acequia/core/rules/Rule'
import { readingWords } from '@acequia/core/sentences/ruleSentence'
import { computed, useId } from 'vue'
import { useOwnReadings } from './ownReadings'

/** Chooses a reading by its name, with the known ones offered. */
const props = defineProps<{ modelValue: string; label: string; readings?: string[]; disabled?: boolean }>()
defineEmits<{ 'update:modelValue': [reading: string] }>()
const own = useOwnReadings()
const list = useId()
const offered = computed(() => [...own.value.map((name) => `own.${name}`), ...(props.readings ?? []), ...EVENT_READINGS])
const wrong = computed(() => props.modelValue !== '' && !isReading(props.modelValue))
</script>

<template>
  <span class="reading-field">
    <input
      :value="modelValue"
      class="mono"
      :list="list"
      :aria-label="label"
      :aria-invalid="wrong"
      :disabled="disabled"
      maxlength="300"
      placeholder="a reading, such as order"
      @input="$emit('update:modelValue', ($event.target as HTMLInputElement).value.trim())"
    />
    <datalist :id="list">
      <option v-for="each in offered" :key="each" :value="each">{{ readingWords(each) }}</option>
      <option value="query.">an address parameter, by name</option>
      <option value="data.">a datum of the event, by name</option>
    </datalist>
    <small v-if="wrong" class="error-text">This is no reading.</small>
  </span>
</template>

<style scoped>
.error-text {
  margin-left: 6px;
}
</style>
