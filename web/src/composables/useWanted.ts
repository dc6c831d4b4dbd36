// What was last wanted of a delivery, for as long as the page is open, and where the forms for it come from.
import { ref, shallowRef, watch } from 'vue'
import { api, type Format, type Purpose } from '../api/client'
import { fieldsOf, valuesOf, type Field, type Schema } from '../model/form'
import { NOTHING_SAID, type Wanted } from '../model/wanted'

const KEPT = 'pruxel.wanted'

export function useWanted() {
  const kept = JSON.parse(sessionStorage.getItem(KEPT) ?? '{}') as Partial<Wanted>
  const wanted = ref<Wanted>({ ...NOTHING_SAID, ...kept })
  watch(wanted, (now) => sessionStorage.setItem(KEPT, JSON.stringify(now)), { deep: true })
  return wanted
}

export function usePurposes(failed: (problem: unknown) => void) {
  const ours = shallowRef<Purpose[]>([])
  const kept = shallowRef<Purpose[]>([])
  const fields = shallowRef<Field[]>([])
  const starting = shallowRef<Record<string, unknown>>({})
  const formats = shallowRef<Format[]>([])
  async function load() {
    try {
      const [found, listed] = await Promise.all([api.purposes(), api.formats()])
      ours.value = found.ours
      kept.value = found.kept
      fields.value = fieldsOf(found.plan as Schema)
      starting.value = valuesOf(fields.value, {})
      formats.value = listed
    } catch (problem) {
      failed(problem)
    }
  }
  return { ours, kept, fields, starting, formats, load }
}
