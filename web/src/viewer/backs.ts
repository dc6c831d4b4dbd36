import {
  BackSide,
  Color,
  DoubleSide,
  FrontSide,
  Mesh,
  type Material,
  type WebGLProgramParametersWithUniforms,
} from 'three'
import type { Drawn } from './build'

export type Backs = 'hatched' | 'hidden' | 'both'

const linear = (color: string) => `vec3(${new Color(color).toArray().map((part) => part.toFixed(5))})`
// Stripes fixed to the screen, so that they never pass for a texture.
const hatching = (light: string) => `
  if (!gl_FrontFacing) {
    float stripe = mod(gl_FragCoord.x + gl_FragCoord.y, 12.0);
    gl_FragColor = vec4((stripe < 6.0 ? ${linear('#c9775b')} : ${linear('#f0d9c8')}) * ${light}, 1.0);
    #include <colorspace_fragment>
    return;
  }`

// By itself, and not as it is shown.
export const isDoubleSided = (material: Material) =>
  material.side === DoubleSide && material.userData.hatched === undefined

// Neither double-sided nor see-through.
export const hasBacks = ({ object, own }: Drawn) => object instanceof Mesh && !isDoubleSided(own) && !own.transparent

const patched = new WeakSet<Material>()

// By the material itself: a second thing for the backs would have each face of a model go through the card twice.
function patch(material: Material): void {
  if (patched.has(material)) return
  patched.add(material)
  const before = material.onBeforeCompile.bind(material)
  const key = material.customProgramCacheKey()
  const hatched = () => material.userData.hatched === true
  material.customProgramCacheKey = () => `${key} ${hatched()}`
  material.onBeforeCompile = (shader: WebGLProgramParametersWithUniforms, renderer) => {
    before(shader, renderer)
    if (!hatched()) return
    const bent = shader.fragmentShader.includes('#include <normal_pars_fragment>')
    const light = bent ? '(0.45 + 0.55 * abs(normalize(vNormal).z))' : '0.8'
    shader.fragmentShader = shader.fragmentShader.replace('void main() {', `void main() {${hatching(light)}`)
  }
}

// How a material shows faces from behind. Shadows are cast by those away from the light, as long as backs are no faces.
export function showBacks(material: Material, backs: Backs): void {
  const side = backs === 'hidden' ? FrontSide : DoubleSide
  const hatched = backs === 'hatched'
  if (material.side === side && !!material.userData.hatched === hatched) return
  patch(material)
  material.side = side
  material.shadowSide = backs === 'both' ? null : BackSide
  material.userData.hatched = hatched
  material.needsUpdate = true
}
