<script setup lang="ts">
import { html } from '@codemirror/lang-html'
import { javascript } from '@codemirror/lang-javascript'
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { EditorState } from '@codemirror/state'
import { EditorView } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { basicSetup } from 'codemirror'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'

/**
 * Edits code with line numbers and colours. It lives in a shadow tree, where it can style itself
 * without inline styles, which our pages do not allow.
 */
const props = defineProps<{ modelValue: string; language: 'javascript' | 'html'; label: string; readonly?: boolean }>()
const emit = defineEmits<{ 'update:modelValue': [code: string] }>()
const place = ref<HTMLElement>()
let view: EditorView | undefined
/** In the theme's own colours, light and dark. */
const colours = HighlightStyle.define([
  { tag: [tags.comment, tags.meta], color: 'var(--ink-2)', fontStyle: 'italic' },
  { tag: [tags.keyword, tags.tagName], color: 'var(--water)', fontWeight: '600' },
  { tag: [tags.string, tags.attributeValue], color: 'var(--clay)' },
  { tag: [tags.number, tags.bool, tags.null], color: 'var(--ochre)' },
  { tag: tags.invalid, color: 'var(--loss)' },
])

onMounted(() => {
  const root = (place.value as HTMLElement).attachShadow({ mode: 'open' })
  view = new EditorView({
    root,
    parent: root,
    state: EditorState.create({
      doc: props.modelValue,
      extensions: [
        basicSetup,
        syntaxHighlighting(colours),
        props.language === 'html' ? html() : javascript(),
        EditorView.lineWrapping,
        EditorState.readOnly.of(!!props.readonly),
        EditorView.contentAttributes.of({ 'aria-label': props.label }),
        EditorView.updateListener.of((update) => update.docChanged && emit('update:modelValue', update.state.doc.toString())),
        EditorView.theme({
          '&': { fontSize: '13px', border: '1px solid var(--plaster-3)', borderRadius: '6px', backgroundColor: 'var(--plaster)', color: 'var(--ink)' },
          '&.cm-focused': { outline: '2px solid var(--water)' },
          '.cm-content': { fontFamily: 'var(--mono)', minHeight: '120px', caretColor: 'var(--ink)' },
          '.cm-gutters': { backgroundColor: 'var(--plaster-2)', color: 'var(--ink-2)', border: '0' },
          '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'color-mix(in srgb, var(--water-mist) 55%, transparent)' },
        }),
      ],
    }),
  })
})
watch(
  () => props.modelValue,
  (code) => {
    if (view && code !== view.state.doc.toString()) view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: code } })
  },
)
onBeforeUnmount(() => view?.destroy())
</script>

<template>
  <div ref="place" class="code-editor" />
</template>
