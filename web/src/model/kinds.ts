/** Kinds that open on the Bench by themselves. */
export const OPENABLE = new Set(['level', 'model', 'texture'])
