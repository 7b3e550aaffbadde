<script setup lang="ts">
import type { Rule } from '@acequia/core/rules/Rule'
import { addCondition, addGroup, newCondition, removeCondition } from '@acequia/core/sentences/editRule'
import { isGlued, type Part } from '@acequia/core/sentences/Part'
import { readSlot, writeSlot } from '@acequia/core/sentences/slots'
import { computed, nextTick, ref } from 'vue'
import ChipPanel from './ChipPanel.vue'
import type { Choice } from './choice'

/**
 * A sentence whose variable parts are chips. Choosing a chip opens a small editor in place; the
 * sentence is made anew from the changed object. Used for goals, triggers and tags alike.
 */
const props = defineProps<{
  parts: Part[]
  model: object
  /** What can be chosen at a slot. */
  choicesFor: (slot: string) => Choice<object>[]
  event?: string | undefined
  currency: string
  /** Makes a new step for the path at a slot. */
  newStep?: () => object
  /** Readings that this moment's events have beside those of every event. */
  readings?: string[]
  readonly?: boolean
}>()
const emit = defineEmits<{
  change: [model: object]
  /** A long text was chosen, which is edited elsewhere on the screen. */
  longText: [slot: string]
}>()

const root = ref<HTMLElement>()
const openSlot = ref<string | null>(null)
const place = ref({ left: 0, top: 0 })
const emitLong = (slot: string): void => emit('longText', slot)
const openPart = computed(() => props.parts.find((part) => part.type === 'chip' && part.slot === openSlot.value) as Extract<Part, { type: 'chip' }> | undefined)

function chipAt(slot: string): HTMLElement | null | undefined {
  return root.value?.querySelector<HTMLElement>(`[data-slot="${CSS.escape(slot)}"]`)
}

async function open(slot: string): Promise<void> {
  if (props.readonly) return
  openSlot.value = null
  await nextTick()
  const chip = chipAt(slot)
  if (!chip || !root.value) return
  place.value = { left: Math.max(0, Math.min(chip.offsetLeft, root.value.clientWidth - 440)), top: chip.offsetTop + chip.offsetHeight + 6 }
  openSlot.value = slot
}

async function close(): Promise<void> {
  const slot = openSlot.value
  openSlot.value = null
  await nextTick()
  if (slot) chipAt(slot)?.focus()
}

function change(model: object, done: boolean): void {
  emit('change', model)
  if (done) void close()
}

/** Splits a condition's slot into the rule's slot and the two positions in it. */
function conditionPlace(slot: string): { rule: string; group: number; condition: number } | null {
  const found = /^(.+)\.any\.(\d+)\.all\.(\d+)\.\w+$/.exec(slot)
  return found && { rule: found[1] as string, group: Number(found[2]), condition: Number(found[3]) }
}

function removeOpenCondition(): void {
  const where = conditionPlace(openSlot.value ?? '')
  openSlot.value = null
  if (where) emit('change', writeSlot(props.model, where.rule, removeCondition(readSlot(props.model, where.rule) as Rule, where.group, where.condition)))
}

function removeOpenStep(): void {
  const found = /^path\.(\d+)\./.exec(openSlot.value ?? '')
  openSlot.value = null
  if (!found) return
  const steps = readSlot(props.model, 'path') as unknown[]
  emit(
    'change',
    writeSlot(
      props.model,
      'path',
      steps.filter((_, index) => index !== Number(found[1])),
    ),
  )
}

/** Says more: adds a condition, a group or a step, and opens what is still to be chosen in it. */
async function act({ slot, does }: Extract<Part, { type: 'action' }>): Promise<void> {
  let opens: string
  if (does === 'add-except') {
    emit('change', writeSlot(props.model, slot, { any: [{ all: [newCondition()] }] }))
    opens = `${slot}.any.0.all.0.value`
  } else if (does === 'add-step') {
    const steps = readSlot(props.model, 'path') as unknown[]
    emit('change', writeSlot(props.model, 'path', [...steps, props.newStep?.()]))
    opens = `path.${steps.length}.where.any.0.all.0.value`
  } else {
    const ruleSlot = does === 'add-condition' ? slot.replace(/\.any\.\d+$/, '') : slot
    const rule = readSlot(props.model, ruleSlot) as Rule
    const group = does === 'add-condition' ? Number(slot.slice(slot.lastIndexOf('.') + 1)) : rule.any.length
    emit('change', writeSlot(props.model, ruleSlot, does === 'add-condition' ? addCondition(rule, group) : addGroup(rule)))
    opens = `${ruleSlot}.any.${group}.all.${does === 'add-condition' ? (rule.any[group]?.all.length ?? 0) : 0}.value`
  }
  await nextTick()
  await open(opens)
}

function leave(event: FocusEvent): void {
  const next = event.relatedTarget as Node | null
  if (next && !root.value?.contains(next)) openSlot.value = null
}

/** Opens the first chip that is still to be chosen. */
function openFirstUnset(): void {
  const unset = props.parts.find((part) => part.type === 'chip' && part.text === '…')
  if (unset?.type === 'chip') void open(unset.slot)
}

defineExpose({ openFirstUnset })
</script>

<template>
  <div ref="root" class="sentence" :class="{ readonly }" @focusout="leave">
    <template v-for="(part, index) in parts" :key="index">
      <span v-if="part.type === 'text'" class="words" :class="{ glued: isGlued(part) }">{{ part.text }}</span>
      <button
        v-else-if="part.type === 'chip'"
        type="button"
        class="chip"
        :class="{ mono: part.mono, open: openSlot === part.slot, unset: part.text === '…' }"
        :data-slot="part.slot"
        :aria-expanded="openSlot === part.slot"
        aria-haspopup="dialog"
        :disabled="readonly"
        @click="part.edits === 'long-text' ? emitLong(part.slot) : openSlot === part.slot ? close() : open(part.slot)"
      >
        {{ part.text }}
      </button>
      <button v-else-if="!readonly" type="button" class="quiet more" @click="act(part)">{{ part.text }}</button>
    </template>
    <ChipPanel
      v-if="openPart"
      :key="openPart.slot + (openPart.edits === 'value' || openPart.edits === 'several' || openPart.edits === 'selector' ? '' : openPart.text)"
      class="panel"
      :style="{ left: `${place.left}px`, top: `${place.top}px` }"
      :part="openPart"
      :model="model"
      :choices="choicesFor(openPart.slot)"
      :event="event"
      :currency="currency"
      :readings="readings"
      @change="change"
      @close="close"
      @remove-condition="removeOpenCondition"
      @remove-step="removeOpenStep"
    />
  </div>
</template>

<style scoped>
.sentence {
  position: relative;
  font-size: 18px;
  line-height: 38px;
  max-width: 720px;
}
.words::before {
  content: ' ';
}
.words.glued::before {
  content: '';
}
.words:first-child::before {
  content: none;
}
.chip {
  font: 600 18px/1.3 var(--font);
  background: var(--water-mist);
  border: 0;
  border-bottom: 2px solid var(--water);
  border-radius: 3px 3px 0 0;
  padding: 2px 7px;
  margin: 0 1px 0 6px;
  white-space: normal;
  text-align: left;
  overflow-wrap: anywhere;
  display: inline;
  box-decoration-break: clone;
}
.chip.mono {
  font: 500 16px/1.3 var(--mono);
}
.chip:hover {
  background: var(--water-run);
}
.chip.open {
  background: var(--water);
  color: var(--on-water);
}
.chip.unset {
  background: var(--ochre-run);
  border-color: var(--ochre);
}
.chip:disabled {
  opacity: 1;
  cursor: default;
}
.more {
  font-size: 17px;
  margin-left: 8px;
  line-height: 1.2;
}
.panel {
  position: absolute;
  z-index: 15;
}
</style>
