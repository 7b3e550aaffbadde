<script setup lang="ts">
import type { Parameter } from '@acequia/core/wiring/tagSchema'
import { X } from 'lucide-vue-next'
import ReadingField from '../readings/ReadingField.vue'

/** Named values that go along: each a reading or a text that is always the same. */
const props = defineProps<{ modelValue: Parameter[]; label: string; readings?: string[]; disabled?: boolean }>()
const emit = defineEmits<{ 'update:modelValue': [list: Parameter[]] }>()
const replace = (index: number, parameter: Parameter): void =>
  emit(
    'update:modelValue',
    props.modelValue.map((each, at) => (at === index ? parameter : each)),
  )
const isText = (each: Parameter): each is { name: string; text: string } => 'text' in each
</script>

<template>
  <fieldset class="parameters" :disabled="disabled">
    <legend>{{ label }}</legend>
    <div v-for="(each, index) in modelValue" :key="index" class="row">
      <input
        :value="each.name"
        class="mono"
        placeholder="name"
        :aria-label="`Name of parameter ${index + 1}`"
        maxlength="100"
        @input="replace(index, { ...each, name: ($event.target as HTMLInputElement).value } as Parameter)"
      />
      <select
        :value="isText(each) ? 'text' : 'reading'"
        :aria-label="`Kind of parameter ${index + 1}`"
        @change="replace(index, ($event.target as HTMLSelectElement).value === 'text' ? { name: each.name, text: '' } : { name: each.name, reading: '' })"
      >
        <option value="reading">is read</option>
        <option value="text">is always</option>
      </select>
      <input
        v-if="isText(each)"
        :value="each.text"
        :aria-label="`Text of parameter ${index + 1}`"
        maxlength="500"
        @input="replace(index, { name: each.name, text: ($event.target as HTMLInputElement).value })"
      />
      <ReadingField
        v-else
        :model-value="each.reading"
        :readings="readings"
        :label="`Reading of parameter ${index + 1}`"
        @update:model-value="replace(index, { name: each.name, reading: $event })"
      />
      <button
        type="button"
        class="quiet"
        :aria-label="`Remove parameter ${each.name || index + 1}`"
        @click="
          emit(
            'update:modelValue',
            modelValue.filter((_, at) => at !== index),
          )
        "
      >
        <X :size="14" aria-hidden="true" />
      </button>
    </div>
    <button type="button" class="quiet" @click="emit('update:modelValue', [...modelValue, { name: '', reading: '' }])">and …</button>
  </fieldset>
</template>

<style scoped>
.parameters {
  border: 0;
  padding: 0;
  margin: 0 0 14px;
}
legend {
  font-weight: 600;
  padding: 0;
  margin-bottom: 4px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-bottom: 6px;
}
.row > input:first-child {
  width: 150px;
}
</style>
