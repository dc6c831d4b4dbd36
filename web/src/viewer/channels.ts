import {
  CanvasTexture,
  Color,
  DoubleSide,
  MeshBasicMaterial,
  MeshNormalMaterial,
  MeshPhysicalMaterial,
  MeshStandardMaterial,
  NoColorSpace,
  RepeatWrapping,
  SkinnedMesh,
  SRGBColorSpace,
  type Material,
  type Texture,
  type WebGLProgramParametersWithUniforms,
} from 'three'
import { isDoubleSided } from './backs'
import type { Drawn } from './build'

// What is shown of a surface by itself: one texture or factor, or what is worked out from its shape.
export const CHANNELS = [
  ['base', 'Base colour'],
  ['normals', 'Normals'],
  ['roughness', 'Roughness'],
  ['metalness', 'Metalness'],
  ['occlusion', 'Occlusion'],
  ['emission', 'Emission'],
  ['opacity', 'Opacity'],
  ['colors', 'Vertex colours'],
  ['checker', 'UV checker'],
  ['density', 'Texels per metre'],
  ['sides', 'Face sides'],
  ['weights', 'Weights of a joint'],
] as const
export type Channel = (typeof CHANNELS)[number][0]

// The bands of texel density: up to how many texels a metre, and the colour. From coarse to fine, readable without hue.
export const BANDS: readonly (readonly [number, string])[] = [
  [64, '#3b3a5a'],
  [128, '#3f6a8a'],
  [256, '#4f9a8f'],
  [512, '#8fbf7a'],
  [1024, '#d9cf73'],
  [2048, '#e6a95c'],
  [Infinity, '#d9724f'],
]
export const SIDES = { front: '#6fae9f', back: '#c9775b' }
const NONE = '#b8b1a4'

// Numbers are shown as they stand in the file: half is half way between black and white.
const SHOW = 'diffuseColor.rgb = vec3(pow(clamp(shown, 0.0, 1.0), 2.2)); diffuseColor.a = 1.0;'
type Patch = (shader: WebGLProgramParametersWithUniforms) => void

function patched<M extends Material>(made: M, key: string, patch: Patch): M {
  made.onBeforeCompile = patch
  made.customProgramCacheKey = () => key
  return made
}

function number(map: Texture | null, factor: number, of: string): Material {
  const made = new MeshBasicMaterial({ map, toneMapped: false })
  return patched(made, `number ${of}`, (shader) => {
    shader.uniforms.factor = { value: factor }
    shader.fragmentShader = shader.fragmentShader
      .replace('void main() {', 'uniform float factor;\nvoid main() {')
      .replace(
        '#include <map_fragment>',
        `float shown = factor;
        #ifdef USE_MAP
          vec4 texel = texture2D(map, vMapUv);
          shown *= ${of};
        #endif
        ${SHOW}`,
      )
  })
}

// A map that is taken for numbers though it is read as a colour, or the other way round, goes by a copy of its own.
const copies = new WeakMap<Texture, Texture>()
function asNumbers(map: Texture | null): Texture | null {
  if (!map || map.colorSpace === NoColorSpace) return map
  let copy = copies.get(map)
  if (!copy) {
    copy = map.clone()
    copy.colorSpace = NoColorSpace
    copy.needsUpdate = true
    copies.set(map, copy)
  }
  return copy
}

let drawnChecker: CanvasTexture | null = null
// Eight by eight squares, each with its letter and number: what is stretched, mirrored or turned shows at once.
function checker(): CanvasTexture {
  if (drawnChecker) return drawnChecker
  const cells = 8
  const side = 128
  const canvas = document.createElement('canvas')
  canvas.width = canvas.height = cells * side
  const pen = canvas.getContext('2d')
  if (pen) {
    pen.textAlign = 'center'
    pen.textBaseline = 'middle'
    pen.font = '600 52px monospace'
    for (let row = 0; row < cells; row++)
      for (let column = 0; column < cells; column++) {
        const dark = (row + column) % 2 === 0
        pen.fillStyle = `hsl(${170 - row * 18} ${dark ? 34 : 26}% ${dark ? 42 : 80}%)`
        pen.fillRect(column * side, row * side, side, side)
        pen.fillStyle = dark ? '#fbf8f1' : '#26332f'
        pen.fillText(`${'ABCDEFGH'[column]}${row + 1}`, (column + 0.5) * side, (row + 0.5) * side)
      }
  }
  drawnChecker = new CanvasTexture(canvas)
  drawnChecker.flipY = false
  drawnChecker.colorSpace = SRGBColorSpace
  drawnChecker.wrapS = drawnChecker.wrapT = RepeatWrapping
  drawnChecker.anisotropy = 8
  return drawnChecker
}

function density(map: Texture | null): Material {
  const image = map?.image as { width: number; height: number } | undefined
  if (!map || !image) return plain()
  const made = new MeshStandardMaterial({ map, roughness: 1, metalness: 0 })
  const bands = BANDS.map(([most, color]) => {
    const { r, g, b } = new Color(color)
    const rgb = `vec3(${r.toFixed(4)}, ${g.toFixed(4)}, ${b.toFixed(4)})`
    return Number.isFinite(most) ? `found <= ${most.toFixed(1)} ? ${rgb}` : rgb
  }).join(' : ')
  return patched(made, 'density', (shader) => {
    shader.uniforms.texels = { value: [image.width, image.height] }
    shader.fragmentShader = shader.fragmentShader
      .replace('void main() {', 'uniform vec2 texels;\nvoid main() {')
      .replace(
        '#include <map_fragment>',
        `vec2 across = dFdx(vMapUv * texels), down = dFdy(vMapUv * texels);
      float here = abs(across.x * down.y - across.y * down.x);
      float metres = length(cross(dFdx(vViewPosition), dFdy(vViewPosition)));
      float found = sqrt(here / max(metres, 1e-20));
      diffuseColor.rgb = ${bands};`,
      )
  })
}

function sides(): Material {
  const made = new MeshStandardMaterial({ side: DoubleSide, roughness: 0.9, metalness: 0 })
  return patched(made, 'sides', (shader) => {
    shader.uniforms.front = { value: new Color(SIDES.front) }
    shader.uniforms.behind = { value: new Color(SIDES.back) }
    shader.fragmentShader = shader.fragmentShader
      .replace('void main() {', 'uniform vec3 front; uniform vec3 behind;\nvoid main() {')
      .replace('#include <map_fragment>', 'diffuseColor.rgb = gl_FrontFacing ? front : behind;')
  })
}

// How much a joint pulls: from paper, which it does not touch, to deep green, which follows it alone.
function weights(object: Drawn['object'], joint: string): Material {
  const number = object instanceof SkinnedMesh ? object.skeleton.bones.findIndex((bone) => bone.name === joint) : -1
  if (number < 0) return plain()
  const made = new MeshBasicMaterial({ toneMapped: false })
  return patched(made, 'weights', (shader) => {
    shader.uniforms.joint = { value: number }
    shader.uniforms.none = { value: new Color('#efe6d6') }
    shader.uniforms.all = { value: new Color('#14564c') }
    shader.vertexShader = shader.vertexShader
      .replace('void main() {', 'uniform float joint; varying float pull;\nvoid main() {')
      .replace(
        '#include <skinbase_vertex>',
        `#include <skinbase_vertex>
      pull = dot(skinWeight, vec4(equal(skinIndex, vec4(joint))));`,
      )
    shader.fragmentShader = shader.fragmentShader
      .replace('void main() {', 'uniform vec3 none; uniform vec3 all; varying float pull;\nvoid main() {')
      .replace('#include <map_fragment>', 'diffuseColor.rgb = mix(none, all, clamp(pull, 0.0, 1.0));')
  })
}

// What has nothing of the kind is one plain colour, so that it is told from what is black.
const plain = () => new MeshStandardMaterial({ color: NONE, roughness: 1, metalness: 0 })

export function channelMaterial(channel: Channel, drawn: Drawn, joint: string): Material {
  const { own, object } = drawn
  const lit = own instanceof MeshStandardMaterial ? own : null
  const basic = own instanceof MeshBasicMaterial ? own : null
  const map = lit?.map ?? basic?.map ?? null
  const has = (name: string) => object.geometry.hasAttribute(name)
  const made = (() => {
    switch (channel) {
      case 'base': {
        const { color, vertexColors } = lit ?? basic ?? new MeshBasicMaterial()
        return new MeshBasicMaterial({ map, color, vertexColors, toneMapped: false })
      }
      case 'normals':
        return lit?.normalMap
          ? new MeshNormalMaterial({ normalMap: lit.normalMap, normalScale: lit.normalScale })
          : new MeshNormalMaterial()
      case 'roughness':
        return number(lit?.roughnessMap ?? null, lit?.roughness ?? 1, 'texel.g')
      case 'metalness':
        return number(lit?.metalnessMap ?? null, lit?.metalness ?? 0, 'texel.b')
      case 'occlusion':
        return lit?.aoMap ? number(lit.aoMap, 1, 'texel.r') : plain()
      case 'emission':
        return new MeshBasicMaterial({
          map: lit?.emissiveMap ?? null,
          color: lit?.emissive ?? '#000',
          toneMapped: false,
        })
      case 'opacity':
        return number(
          asNumbers(map),
          own.opacity * (own instanceof MeshPhysicalMaterial ? 1 - own.transmission : 1),
          'texel.a',
        )
      case 'colors':
        return has('color') ? new MeshBasicMaterial({ vertexColors: true, toneMapped: false }) : plain()
      case 'checker':
        return has('uv') ? new MeshBasicMaterial({ map: checker(), toneMapped: false }) : plain()
      case 'density':
        return has('uv') ? density(map ?? lit?.normalMap ?? null) : plain()
      case 'sides':
        return sides()
      case 'weights':
        return weights(object, joint)
    }
  })()
  if (isDoubleSided(own)) made.side = DoubleSide
  return made
}
