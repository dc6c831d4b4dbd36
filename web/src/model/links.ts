// What a model is put together from, and the steps that put something else there.
import type { Link, StepUse } from '../api/client'
import { last } from './words'

export interface Bound {
  link: Link
  // The maps of a material.
  maps: Link[]
}

// Skeletons and materials, each material with its maps; maps of a material without an entry of its own stand alone.
export function bound(links: Link[]): Bound[] {
  const found = new Map<string, Bound>()
  for (const link of links) {
    const key = link.kind === 'skeleton' ? `skeleton ${link.name}` : link.material || link.name
    const known = found.get(key)
    if (known && (link.kind === 'texture' || known.link.kind === 'texture')) known.maps.push(link)
    else if (known) known.link = link
    else if (link.kind === 'texture')
      found.set(key, {
        link: { ...link, kind: 'material', name: key, entry: '', found: 'in the same file', why: '' },
        maps: [link],
      })
    else found.set(key, { link, maps: [] })
  }
  return [...found.values()]
}

// The file that it stands in, and which of that file it is where the file is called otherwise.
export function called(link: Link): string {
  if (!link.entry) return link.name || 'none'
  const file = last(link.entry)
  return link.kind === 'material' && link.name && !file.startsWith(`${link.name}.`) ? `${link.name} in ${file}` : file
}

// Whether it stands for sure; what was found by its name alone may be another.
export const unsure = (link: Link) => link.found === 'by its name alone'
export const lacking = (link: Link) => !link.entry && link.found !== 'in the same file'

export function relinked(link: Link, entry: string, slot: string): StepUse {
  const on = true
  if (link.kind === 'skeleton') return { step: 'link_skeleton', params: { entry }, on }
  const materials = [link.material || link.name]
  if (link.kind === 'material') return { step: 'link_material', params: { entry, materials }, on }
  return { step: 'link_texture', params: { entry, materials, slot }, on }
}

// Patterns that mean the packed textures a form is about and those of the same kind: what they end in, in any folder.
export function packedPatterns(links: Link[], form: Record<string, unknown>): string[] {
  const materials = form.materials as string[]
  const packed = links.filter(
    (link) =>
      link.kind === 'texture' &&
      link.entry &&
      (form.texture ? link.name === form.texture : link.slot === form.map) &&
      (!materials.length || materials.includes(link.material)),
  )
  return [...new Set(packed.map((link) => patternOf(link.entry)))]
}
function patternOf(path: string): string {
  const ending = /_[^_/.]+\.[^/]+$/.exec(path)
  return ending ? `**/*${ending[0]}` : path
}
