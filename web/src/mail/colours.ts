/** Mnemic's colours, by name. */
export const COLOURS = [
  'moss',
  'clay',
  'harbour',
  'plum',
  'straw',
  'slate',
  'rose',
  'lagoon',
] as const

export type Colour = (typeof COLOURS)[number]
