// Where a picture lies in its frame: its upper left corner in pixels, and how much it is enlarged.
export interface Frame {
  x: number
  y: number
  zoom: number
}

const LEAST = 0.5
const MOST = 32
export const WHOLE: Frame = { x: 0, y: 0, zoom: 1 }

// Enlarged so that the point of the picture under (x, y) stays there.
export function zoomedAt(frame: Frame, factor: number, x: number, y: number): Frame {
  const zoom = Math.min(MOST, Math.max(LEAST, frame.zoom * factor))
  const grown = zoom / frame.zoom
  return { x: x - (x - frame.x) * grown, y: y - (y - frame.y) * grown, zoom }
}

export const moved = (frame: Frame, x: number, y: number): Frame => ({ ...frame, x: frame.x + x, y: frame.y + y })
