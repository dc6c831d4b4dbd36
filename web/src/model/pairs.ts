// Corrections of which joint is which, a line each: "theirs = ours", nothing behind the sign for none.
export function saidOf(lines: string[]): Map<string, string> {
  const found = new Map<string, string>()
  for (const line of lines) {
    const at = line.indexOf('=')
    if (at > 0) found.set(line.slice(0, at).trim(), line.slice(at + 1).trim())
  }
  return found
}

// The lines with one more correction; `ours` undefined takes it back.
export function corrected(lines: string[], theirs: string, ours: string | undefined): string[] {
  const said = saidOf(lines)
  said.delete(theirs)
  if (ours !== undefined) said.set(theirs, ours)
  return [...said].map(([one, other]) => `${one} = ${other}`.trimEnd())
}
