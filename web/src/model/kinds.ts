/** Kinds of entries that get a picture of their own. */
export const DRAWN = new Set(['level', 'model', 'skeleton', 'clips', 'texture'])

/** Kinds that open on the Bench by themselves. */
export const OPENABLE = new Set(['level', 'model', 'texture'])
