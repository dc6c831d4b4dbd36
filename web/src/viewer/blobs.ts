// Blobs never change under their name: each is fetched once, kept while there is room, and shared by all who ask.
const MOST_BYTES = 512 * 1024 * 1024

interface Kept {
  data: Promise<ArrayBuffer>
  size: number
}

export class Blobs {
  private readonly kept = new Map<string, Kept>()
  private total = 0
  fetched = 0

  constructor(
    private readonly load: (name: string) => Promise<ArrayBuffer>,
    private readonly most = MOST_BYTES,
  ) {}

  get(name: string): Promise<ArrayBuffer> {
    const known = this.kept.get(name)
    if (known) {
      // Used again: it goes to the end of the line of those that leave.
      this.kept.delete(name)
      this.kept.set(name, known)
      return known.data
    }
    const made: Kept = { data: this.load(name), size: 0 }
    this.kept.set(name, made)
    this.fetched += 1
    made.data.then(
      (data) => {
        made.size = data.byteLength
        this.total += data.byteLength
        this.trim()
      },
      () => this.kept.delete(name),
    )
    return made.data
  }

  private trim(): void {
    for (const [name, { size }] of this.kept) {
      if (this.total <= this.most || this.kept.size === 1) return
      this.kept.delete(name)
      this.total -= size
    }
  }
}

// What lies at an address of ours; where it cannot be had, that is said in these words.
export async function bytesAt(address: string, otherwise: string): Promise<ArrayBuffer> {
  const response = await fetch(address)
  if (!response.ok) throw new Error(otherwise)
  return response.arrayBuffer()
}

export const fetchBlob = (name: string) =>
  bytesAt(`/api/blobs/${name}`, 'A part of the model is no longer stored. Open it again.')

export const blobs = new Blobs(fetchBlob)
