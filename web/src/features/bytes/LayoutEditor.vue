<script setup lang="ts">
import { autocompletion, type CompletionContext } from '@codemirror/autocomplete'
import { yaml } from '@codemirror/lang-yaml'
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint'
import { EditorState } from '@codemirror/state'
import { tags } from '@lezer/highlight'
import { basicSetup, EditorView } from 'codemirror'
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { api, type Described, type LayoutWord } from '../../api/client'
import { placeOf } from '../../model/layoutText'

// The text of a layout: its words completed, its mistakes marked while one types.
const { faults } = defineProps<{ faults: Described['faults'] }>()
const text = defineModel<string>({ required: true })
const home = ref<HTMLElement>()
let view: EditorView | null = null
let words: LayoutWord[] = []

function complete(context: CompletionContext) {
  const word = context.matchBefore(/[A-Za-z_][\w]*/)
  if (!word && !context.explicit) return null
  const seen = new Set<string>()
  const options = words
    .filter((w) => !seen.has(w.word) && seen.add(w.word))
    .map((w) => ({ label: w.word, detail: w.kind, info: w.about || undefined, type: w.kind }))
  return { from: word?.from ?? context.pos, options, validFor: /^\w*$/ }
}

function marks(state: EditorState): Diagnostic[] {
  return faults.map((fault) => {
    const place = placeOf(fault.field)
    const line = state.doc.line(Math.min(Math.max(place?.line ?? 1, 1), state.doc.lines))
    const from = Math.min(line.from + (place?.column ?? 1) - 1, line.to)
    const message = fault.message.replace(/^the layout does not hold together: /, '')
    return { from, to: line.to, severity: 'error', message: fault.hint ? `${message}. ${fault.hint}` : message }
  })
}
const tell = () => view?.dispatch(setDiagnostics(view.state, marks(view.state)))

// The editor's styles come from script, which the page's own rules forbid in the document: in a root of its own they are
// sheets that need no element. The tokens of the page reach into it.
const LOOK = {
  '&': { height: '100%', background: 'var(--sheet)', color: 'var(--ink)', fontSize: '12px' },
  '&.cm-focused': { outline: '2px solid var(--sea)', outlineOffset: '-2px' },
  '.cm-scroller': { fontFamily: 'var(--font-mono)', lineHeight: '1.5' },
  '.cm-gutters': { background: 'var(--paper)', color: 'var(--faint)', borderRight: '1px solid var(--line)' },
  '.cm-content': { caretColor: 'var(--ink)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-activeLine, .cm-activeLineGutter': { background: 'color-mix(in srgb, var(--sea-soft) 40%, transparent)' },
  '.cm-selectionBackground, &.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground': {
    background: 'var(--sea-soft)',
  },
  '.cm-tooltip': {
    border: '1px solid var(--line)',
    background: 'var(--sheet)',
    color: 'var(--ink)',
    maxWidth: '26rem',
  },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { background: 'var(--sea)', color: 'var(--on-sea)' },
  '.cm-panels': { background: 'var(--paper)', color: 'var(--ink)' },
}
const COLORS = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--sea)' },
  { tag: [tags.string, tags.number], color: 'var(--marigold)' },
  { tag: tags.comment, color: 'var(--faint)', fontStyle: 'italic' },
])

onMounted(async () => {
  const root = home.value!.attachShadow({ mode: 'open' })
  view = new EditorView({
    parent: root,
    root,
    state: EditorState.create({
      doc: text.value,
      extensions: [
        basicSetup,
        yaml(),
        syntaxHighlighting(COLORS),
        EditorView.theme(LOOK),
        lintGutter(),
        autocompletion({ override: [complete] }),
        EditorView.contentAttributes.of({ tabindex: '0', 'aria-label': 'The text of the layout' }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) text.value = update.state.doc.toString()
        }),
      ],
    }),
  })
  tell()
  words = await api.layoutWords().catch(() => [])
})
onBeforeUnmount(() => view?.destroy())
watch(text, (value) => {
  if (view && value !== view.state.doc.toString())
    view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: value } })
})
watch(() => faults, tell)

/** Show a line. */
function goTo(line: number) {
  if (!view) return
  const found = view.state.doc.line(Math.min(Math.max(line, 1), view.state.doc.lines))
  view.dispatch({ selection: { anchor: found.from }, effects: EditorView.scrollIntoView(found.from, { y: 'center' }) })
  view.focus()
}
defineExpose({ goTo })
</script>

<template>
  <div ref="home" class="min-h-0 flex-1 overflow-hidden" data-test="layout-editor" />
</template>
