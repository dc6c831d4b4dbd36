import type { FaultWords } from '../components/Fault.vue'

// What happened, as text to send to somebody who can help: the fault and where, never a key or a name of access.
export function happened(fault: FaultWords, where: string, when: Date, version: string): string {
  const byte = fault.offset === undefined || fault.offset === null ? undefined : `${fault.offset}`
  const lines: [string, string | null | undefined][] = [
    ['What', fault.message],
    ['File', fault.file],
    ['Field', fault.field],
    ['Byte', byte],
    ['Expected', fault.expected],
    ['Found', fault.found],
    ['To try', fault.hint],
    ['Where', where],
    ['When', when.toISOString()],
    ['Pruxel', version],
  ]
  return lines.flatMap(([name, value]) => (value ? [`${name}: ${value}`] : [])).join('\n')
}

// The view, without what an address may carry besides: a search or a key.
export const placeOf = (location: Location) => location.pathname.replace(/[0-9a-f]{8}-[0-9a-f-]{27}/g, '…')
