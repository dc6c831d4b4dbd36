/** Constants in the text of a layout: the numbers and words that can be turned without knowing the language. */

const PLACE = (name: string) => new RegExp(`(^constants:[\\s\\S]*?\\b${name}:\\s*)('[^']*'|"[^"]*"|[^,}\\n#]+)`, 'm')

/** The text with another value of a constant; the same text where it has no such constant. */
export function withConstant(text: string, name: string, value: string | number): string {
  const block = /^constants:.*(?:\n[ \t]+.*)*/m.exec(text)
  if (!block) return text
  const changed = block[0].replace(PLACE(name), (_all, head: string) => `${head}${value}`)
  return text.slice(0, block.index) + changed + text.slice(block.index + block[0].length)
}

/** The name of the layout that a text says it is. */
export const layoutName = (text: string) => /^layout:\s*([\w-]+)/m.exec(text)?.[1] ?? ''

/** Line and column (from 1) that a fault of a layout names: `line 3, column 5, records.file.0`. */
export function placeOf(field: string | null | undefined): { line: number; column: number } | null {
  const found = /line (\d+), column (\d+)/.exec(field ?? '')
  return found ? { line: Number(found[1]), column: Number(found[2]) } : null
}
