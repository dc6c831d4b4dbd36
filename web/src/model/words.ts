/** Numbers as people read them. */
export const count = (n: number) => n.toLocaleString('en-GB')

export function bytes(n: number) {
  if (n < 1000) return `${n} B`
  if (n < 1e6) return `${(n / 1e3).toFixed(n < 1e4 ? 1 : 0)} kB`
  if (n < 1e9) return `${(n / 1e6).toFixed(n < 1e7 ? 1 : 0)} MB`
  return `${(n / 1e9).toFixed(2)} GB`
}

export function length(metres: number) {
  if (metres >= 1000) return `${(metres / 1000).toPrecision(3)} km`
  if (metres >= 1) return `${metres.toFixed(2)} m`
  if (metres >= 0.1) return `${(metres * 100).toFixed(1)} cm`
  return `${(metres * 1000).toPrecision(3)} mm`
}

// Width, height and depth; a unit that all share is said once.
export function extent(metres: number[]) {
  const told = metres.map(length)
  const [unit, ...others] = new Set(told.map((one) => one.slice(one.indexOf(' '))))
  return others.length || !unit ? told.join(' × ') : told.map((one) => one.replace(unit, '')).join(' × ') + unit
}

export const last = (path: string) => path.split('/').at(-1) ?? path
export const folderOf = (path: string) => path.split('/').slice(0, -1).join('/')

// Names with how often each occurs: `glass ×3`.
export function counted(names: readonly string[]): string[] {
  const counts = new Map<string, number>()
  for (const name of names) counts.set(name, (counts.get(name) ?? 0) + 1)
  return [...counts].map(([name, n]) => (n > 1 ? `${name} ×${n}` : name))
}

// What a failure says, whatever was thrown.
export const told = (problem: unknown) => (problem instanceof Error ? problem.message : String(problem))
