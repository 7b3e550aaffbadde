<script setup lang="ts">
import type { Channel } from '@acequia/core/recipes/channelSchema'
import type { Recipe } from '@acequia/core/recipes/recipeSchema'
import { momentReadings } from '@acequia/core/wiring/momentEvent'
import type { TagAction } from '@acequia/core/wiring/tagSchema'
import type { Trigger } from '@acequia/core/wiring/wiringSchema'
import { computed, defineAsyncComponent, ref, watch } from 'vue'
import ReadingField from '../readings/ReadingField.vue'
import ParameterList from './ParameterList.vue'

/** What of a tag's action is too long for its sentence: addresses, code, parameters. */
const props = defineProps<{ modelValue: TagAction; channel: Channel | undefined; recipe: Recipe | undefined; triggers: Trigger[]; disabled?: boolean }>()
const emit = defineEmits<{
  'update:modelValue': [does: TagAction]
  /** The body as typed is no JSON, in words; empty when it is. */
  problem: [problem: string]
}>()
const CodeEditor = defineAsyncComponent(() => import('../code/CodeEditor.vue'))
const readings = computed(() => [...new Set(props.triggers.flatMap((trigger) => momentReadings(trigger.moment.type)))])
const put = (part: Partial<TagAction>): void => emit('update:modelValue', { ...props.modelValue, ...part } as TagAction)
const textOf = (event: Event): string => (event.target as HTMLInputElement | HTMLTextAreaElement).value

const body = ref('')
watch(
  () => props.modelValue.type === 'request' && props.modelValue.body,
  (template) => {
    let typed: unknown
    try {
      typed = body.value.trim() ? JSON.parse(body.value) : undefined
    } catch {
      return
    }
    if (props.modelValue.type === 'request' && JSON.stringify(typed) !== JSON.stringify(template))
      body.value = template === undefined || template === false ? '' : JSON.stringify(template, null, 2)
  },
  { immediate: true },
)

function takeBody(text: string): void {
  body.value = text
  try {
    put({ body: text.trim() ? JSON.parse(text) : undefined } as Partial<TagAction>)
    emit('problem', '')
  } catch (error) {
    emit('problem', `The body is no JSON yet: ${(error as Error).message}`)
  }
}
</script>

<template>
  <div class="tag-action">
    <template v-if="modelValue.type === 'channel-event' && modelValue.call === 'event'">
      <p v-if="recipe?.events.length && !modelValue.event && !modelValue.category && !disabled" class="names">
        {{ channel?.name }} knows these events:
        <button v-for="each in recipe.events" :key="each.name" type="button" @click="put({ event: each.name, category: undefined })">
          <code>{{ each.name }}</code> {{ each.label }}
        </button>
      </p>
      <p v-if="recipe?.calls.event?.needs.includes('order')" class="hint">
        {{ channel?.name }} takes no event without an order number; where there is none, the tag is held.
      </p>
      <details class="more" :open="modelValue.order !== 'order' || modelValue.extra.length > 0">
        <summary>Order number and further parameters</summary>
        <label class="field inline"
          >Order number is read from
          <ReadingField
            :model-value="modelValue.order"
            label="Reading of the order number"
            :readings="readings"
            :disabled="disabled"
            @update:model-value="put({ order: $event })"
          />
        </label>
        <ParameterList
          :model-value="modelValue.extra"
          label="Further parameters"
          :readings="readings"
          :disabled="disabled"
          @update:model-value="put({ extra: $event })"
        />
      </details>
    </template>
    <ParameterList
      v-else-if="modelValue.type === 'own-event'"
      :model-value="modelValue.data"
      label="Data of the event"
      :readings="readings"
      :disabled="disabled"
      @update:model-value="put({ data: $event })"
    />
    <label v-if="modelValue.type === 'image' || modelValue.type === 'request'" class="field"
      >Address
      <textarea
        :value="modelValue.address"
        class="mono"
        rows="2"
        data-long="does.address"
        spellcheck="false"
        placeholder="https://pixel.example/p.gif?order={order}&value={value}"
        :readonly="disabled"
        @input="put({ address: textOf($event).trim() })"
      />
      <small>A reading's name in braces is filled in: <code v-pre>{order}</code>, <code v-pre>{own.basket-total}</code>.</small>
    </label>
    <label v-if="modelValue.type === 'request' && modelValue.method !== 'GET'" class="field"
      >Body as JSON
      <textarea
        :value="body"
        class="mono"
        rows="6"
        spellcheck="false"
        placeholder='{ "order": "{order}" }'
        :readonly="disabled"
        @input="takeBody(textOf($event))"
      />
    </label>
    <div v-if="modelValue.type === 'script'" class="field-like">
      <strong>Script</strong>
      <CodeEditor
        :model-value="modelValue.code"
        data-long="does.code"
        language="javascript"
        label="Script"
        :readonly="disabled"
        @update:model-value="put({ code: $event })"
      />
      <small class="hint"
        >Runs on the visitor's page. <code>read('order')</code> gives a reading's text, <code>event</code> is what happened; <code>return false</code> says that
        it did not work.</small
      >
    </div>
    <div v-if="modelValue.type === 'html'" class="field-like">
      <strong>HTML</strong>
      <CodeEditor
        :model-value="modelValue.html"
        data-long="does.html"
        language="html"
        label="HTML"
        :readonly="disabled"
        @update:model-value="put({ html: $event })"
      />
      <small class="hint">Put at the end of the visitor's page. A site with a Content-Security-Policy may keep scripts in it from running.</small>
    </div>
  </div>
</template>

<style scoped>
.tag-action {
  margin: 14px 0;
  max-width: 720px;
}
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.names button {
  font-weight: 400;
}
.more summary {
  cursor: pointer;
  color: var(--ink-2);
  margin-bottom: 8px;
}
.field-like {
  display: grid;
  gap: 4px;
}
textarea {
  width: 100%;
}
</style>
