import { ref } from 'vue'
import { api, type Upload } from '../api/client'

const PIECE = 8 << 20
export const uploads = ref<Upload[]>([])

/** Send files piece by piece; one that broke off goes on where it stopped when it is sent again. */
export function useUploads(failed: (problem: unknown) => void) {
  async function send(project: string, file: File, name: string) {
    let state = await api.startUpload(project, name, file.size)
    uploads.value.push(state)
    const line = uploads.value.at(-1)!
    while (state.path === null || state.path === undefined) {
      state = await api.sendPiece(project, state.id, state.have, file.slice(state.have, state.have + PIECE))
      line.have = state.have
    }
    uploads.value = uploads.value.filter((u) => u !== line)
    return state.path
  }

  async function all(project: string, list: [File, string][]) {
    try {
      const places: string[] = []
      for (const [file, name] of list) places.push(await send(project, file, name))
      const tops = new Set(places.map((place, n) => (list[n]![1].includes('/') ? place.slice(0, place.length - list[n]![1].length) + list[n]![1].split('/')[0] : place)))
      for (const top of tops) await api.mount(project, top)
    } catch (problem) {
      uploads.value = []
      failed(problem)
    }
  }

  async function walk(entry: FileSystemEntry, into: [File, string][]) {
    if (entry.isFile) {
      const file = await new Promise<File>((done, fail) => (entry as FileSystemFileEntry).file(done, fail))
      into.push([file, entry.fullPath.replace(/^\//, '')])
      return
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader()
    for (;;) {
      const some = await new Promise<FileSystemEntry[]>((done, fail) => reader.readEntries(done, fail))
      if (!some.length) return
      for (const one of some) await walk(one, into)
    }
  }

  return {
    files: (project: string, list: FileList | null) => all(project, [...(list ?? [])].map((f) => [f, f.name])),
    drop: async (project: string, data: DataTransfer) => {
      const entries = [...data.items].map((i) => i.webkitGetAsEntry()).filter((e): e is FileSystemEntry => !!e)
      const list: [File, string][] = []
      for (const entry of entries) await walk(entry, list)
      await all(project, list)
    },
  }
}
