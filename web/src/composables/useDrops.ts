import { onBeforeUnmount, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { useUploads } from './useUploads'

// Files dropped on any page are sent and mounted. True while some are held over it.
export function useDrops(project: () => string) {
  const over = ref(false)
  const router = useRouter()
  const uploads = useUploads()
  const holdsFiles = (event: DragEvent) => [...(event.dataTransfer?.types ?? [])].includes('Files')

  function hold(event: DragEvent) {
    if (!holdsFiles(event) || !project()) return
    event.preventDefault()
    over.value = true
  }
  function leave(event: DragEvent) {
    if (event.relatedTarget === null) over.value = false
  }
  function drop(event: DragEvent) {
    over.value = false
    if (!holdsFiles(event) || !project() || !event.dataTransfer) return
    event.preventDefault()
    void uploads.drop(project(), event.dataTransfer)
    void router.push({ name: 'sources', params: { project: project() } })
  }
  onMounted(() => {
    window.addEventListener('dragover', hold)
    window.addEventListener('dragleave', leave)
    window.addEventListener('drop', drop)
  })
  onBeforeUnmount(() => {
    window.removeEventListener('dragover', hold)
    window.removeEventListener('dragleave', leave)
    window.removeEventListener('drop', drop)
  })
  return over
}
