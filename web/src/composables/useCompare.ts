import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import { api, type ViewContent } from '../api/client'
import { useHeld } from './useHeld'
import { useViewNews } from './useViewNews'

interface Tried {
  on: Ref<boolean>
  content: Ref<ViewContent | undefined>
}

// What is held against the model that is shown: how it was before a step, or another workpiece.
export function useCompare(content: Ref<ViewContent | undefined>, preview: Tried, busy: Ref<boolean>) {
  const pointed = ref<number | null>(null)
  const number = computed(() => pointed.value ?? (content.value?.steps.length ?? 0) - 1)
  const before = computed(() => content.value?.steps[number.value]?.before_scene ?? '')
  // While `b` is held the model is shown as it was before the step that is pointed at, or else the last one.
  const held = useHeld('b')
  const looked = computed(() =>
    held.value && !preview.on.value ? { number: number.value, scene: before.value } : null,
  )
  const on = ref(false)
  const apart = ref(false)
  // The workpiece that is held against it; none: it as it was.
  const other = ref('')
  const { scene: others } = useSceneOf(other)
  // What stands beside it, before the step that is tried, pointed at, or else the last one.
  const beside = computed(() => {
    if (!on.value || busy.value || looked.value) return { scene: '', words: '' }
    if (other.value) return { scene: others.value, words: '' }
    if (preview.on.value) return { scene: preview.content.value ? (content.value?.scene ?? '') : '', words: 'As it is' }
    return { scene: before.value, words: `Before step ${number.value + 1}` }
  })
  return { pointed, looked, on, apart, other, beside }
}

// The scene of a workpiece, as soon as it is known.
function useSceneOf(workpiece: Ref<string>) {
  const scene = shallowRef('')
  const news = useViewNews(look)
  async function look() {
    const wanted = workpiece.value
    if (!wanted) return
    const found = await news.answerTo(api.view(wanted), () => wanted === workpiece.value).catch(() => null)
    if (found) scene.value = found.content?.scene ?? ''
  }
  watch(workpiece, () => {
    scene.value = ''
    news.forget()
    void look()
  })
  return { scene }
}
