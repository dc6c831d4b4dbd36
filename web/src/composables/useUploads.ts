import { ref, shallowRef } from 'vue'
import { api, type Upload } from '../api/client'

const PIECE = 8 << 20
export const uploads = ref<Upload[]>([])
// Why the last sending failed, wherever it was begun; the page that lists the sources shows it.
export const uploadFault = shallowRef<unknown>(null)

// `2026-11-27 14.05.09`: a name that no file system minds.
export const stamp = (when: Date) => when.toISOString().slice(0, 19).replace('T', ' ').replaceAll(':', '.')

// The folder or file to mount for a sent file: the first folder of its name, below where it was stored.
export function topOf(place: string, name: string): string {
  if (!name.includes('/')) return place
  return place.slice(0, place.length - name.length) + name.split('/')[0]
}

// Send files piece by piece; one that broke off goes on where it stopped when it is sent again.
export function useUploads() {
  async function send(project: string, file: File, name: string) {
    let state = await api.startUpload(project, name, file.size)
    uploads.value.push(state)
    const line = uploads.value.at(-1)!
    while (state.path === null || state.path === undefined) {
      state = await api.sendPiece(project, state.id, state.have, file.slice(state.have, state.have + PIECE))
      line.have = state.have
    }
    uploads.value = uploads.value.filter((u) => u !== line)
    return { place: state.path, name: state.name }
  }

  async function all(project: string, list: [File, string][]) {
    uploadFault.value = null
    try {
      // Several files sent at once are one source; folders are theirs already.
      const loose = list.filter(([, name]) => !name.includes('/')).length
      const sending = `sent files ${stamp(new Date())}`
      const named = list.map(([file, name]): [File, string] => [
        file,
        loose > 1 && !name.includes('/') ? `${sending}/${name}` : name,
      ])
      const tops = new Set<string>()
      for (const [file, name] of named) {
        // The server's own name for it, since some of what a name may hold here it may not hold there.
        const sent = await send(project, file, name)
        tops.add(topOf(sent.place, sent.name))
      }
      for (const top of tops) await api.mount(project, top)
    } catch (problem) {
      uploads.value = []
      uploadFault.value = problem
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
    files: (project: string, list: FileList | null) =>
      all(
        project,
        [...(list ?? [])].map((f) => [f, f.name]),
      ),
    drop: async (project: string, data: DataTransfer) => {
      const entries = [...data.items].map((i) => i.webkitGetAsEntry()).filter((e): e is FileSystemEntry => !!e)
      const list: [File, string][] = []
      for (const entry of entries) await walk(entry, list)
      await all(project, list)
    },
  }
}
