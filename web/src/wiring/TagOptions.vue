<script setup lang="ts">
import { limitWords } from '@acequia/core/sentences/tagSentence'
import { LIMITS, purposeOf, type Purpose, type Tag } from '@acequia/core/wiring/tagSchema'
import { computed } from 'vue'

/** When a tag is kept from firing: limits, consent, order, times, pause. */
const props = defineProps<{ modelValue: Tag; tags: Tag[]; disabled?: boolean }>()
const emit = defineEmits<{ 'update:modelValue': [tag: Tag] }>()
const put = (part: Partial<Tag>): void => emit('update:modelValue', { ...props.modelValue, ...part })
const others = computed(() => props.tags.filter((tag) => tag.id !== props.modelValue.id))
const usual = computed(() => purposeOf({ does: props.modelValue.does }))
const valueOf = (event: Event): string => (event.target as HTMLSelectElement).value

/** A time as the browser's field wants it: this person's own clock, without zone. */
function toField(time: string | undefined): string {
  if (!time) return ''
  const date = new Date(time)
  return new Date(date.getTime() - date.getTimezoneOffset() * 60_000).toISOString().slice(0, 16)
}

function setTime(end: 'from' | 'to', text: string): void {
  const schedule = { ...props.modelValue.schedule, [end]: text ? new Date(text).toISOString() : undefined }
  put({ schedule: schedule.from || schedule.to ? schedule : undefined })
}
</script>

<template>
  <fieldset class="options" :disabled="disabled">
    <legend>At most, and only</legend>
    <label
      >Fires
      <select :value="modelValue.limit" @change="put({ limit: valueOf($event) as Tag['limit'] })">
        <option v-for="each in LIMITS" :key="each" :value="each">{{ limitWords(each) }}</option>
      </select></label
    >
    <label
      >with consent to
      <select :value="modelValue.consent ?? ''" @change="put({ consent: (valueOf($event) || undefined) as Purpose | undefined })">
        <option value="">{{ usual }} (usual for this)</option>
        <option value="marketing">marketing</option>
        <option value="statistics">statistics</option>
        <option value="none">nothing: always</option>
      </select></label
    >
    <label
      >after the tag
      <select
        :value="modelValue.after?.tag ?? ''"
        @change="put({ after: valueOf($event) ? { tag: valueOf($event), ifWorked: modelValue.after?.ifWorked ?? false } : undefined })"
      >
        <option value="">– none –</option>
        <option v-for="tag in others" :key="tag.id" :value="tag.id">{{ tag.name }}</option>
      </select></label
    >
    <label v-if="modelValue.after" class="check"
      ><input type="checkbox" :checked="modelValue.after.ifWorked" @change="put({ after: { ...modelValue.after, ifWorked: !modelValue.after.ifWorked } })" />
      only if that worked</label
    >
    <label
      >from <input type="datetime-local" :value="toField(modelValue.schedule?.from)" @change="setTime('from', ($event.target as HTMLInputElement).value)"
    /></label>
    <label
      >until <input type="datetime-local" :value="toField(modelValue.schedule?.to)" @change="setTime('to', ($event.target as HTMLInputElement).value)"
    /></label>
    <label class="check"
      ><input type="checkbox" :checked="modelValue.paused" @change="put({ paused: !modelValue.paused })" /> Paused: stays in the wiring, does not fire</label
    >
    <p v-if="(modelValue.consent ?? usual) !== 'none'" class="hint">Until the visitor agrees it waits, and then fires with what was read at its own moment.</p>
  </fieldset>
</template>

<style scoped>
.options {
  border: 0;
  border-top: 1px solid var(--plaster-3);
  padding: 12px 0 0;
  margin: 20px 0;
  display: flex;
  flex-wrap: wrap;
  gap: 10px 18px;
  align-items: center;
  max-width: 720px;
}
legend {
  font-weight: 600;
  padding: 0 8px 0 0;
  color: var(--ink-2);
}
.check {
  display: flex;
  gap: 8px;
  align-items: center;
}
.hint {
  width: 100%;
  margin: 0;
}
</style>
