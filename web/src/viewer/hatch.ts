import { CanvasTexture, RepeatWrapping, SRGBColorSpace } from 'three'
import type { MaterialData } from './manifest'

const MOST_KEPT = 60
const kept = new Map<string, CanvasTexture>()

// The name of the texture that should give a material its colour and is nowhere.
export function lostColor(data: MaterialData): string | null {
  if (data.base_color_texture) return null
  return data.unresolved?.find(({ slot }) => slot === 'material' || slot.startsWith('base'))?.name ?? null
}

// Hatched paper that carries the name of what is missing; none where nothing can be drawn on.
export function hatchedPaper(name: string): CanvasTexture | null {
  if (typeof document === 'undefined') return null
  const known = kept.get(name)
  if (known) return known
  const side = 512
  const canvas = document.createElement('canvas')
  canvas.width = canvas.height = side
  const pen = canvas.getContext('2d')
  if (pen) {
    pen.fillStyle = '#f1e9da'
    pen.fillRect(0, 0, side, side)
    pen.strokeStyle = '#d3c3a6'
    pen.lineWidth = 6
    for (let at = -side; at < side; at += 32) {
      pen.beginPath()
      pen.moveTo(at, side)
      pen.lineTo(at + side, 0)
      pen.stroke()
    }
    const short = name.split('/').at(-1) ?? name
    pen.font = `600 ${Math.max(20, Math.min(54, Math.floor((side * 1.5) / Math.max(short.length, 1))))}px monospace`
    pen.textAlign = 'center'
    pen.textBaseline = 'middle'
    for (const row of [0.25, 0.75]) {
      const width = Math.min(pen.measureText(short).width + 24, side)
      pen.fillStyle = '#f1e9da'
      pen.fillRect((side - width) / 2, side * row - 34, width, 68)
      pen.fillStyle = '#7a4a34'
      pen.fillText(short, side / 2, side * row, side - 16)
    }
  }
  const made = new CanvasTexture(canvas)
  made.flipY = false
  made.colorSpace = SRGBColorSpace
  made.wrapS = made.wrapT = RepeatWrapping
  made.anisotropy = 8
  kept.set(name, made)
  if (kept.size > MOST_KEPT) kept.delete(kept.keys().next().value ?? '')
  return made
}
