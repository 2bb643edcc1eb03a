import axe from 'axe-core'
import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'

type Looks = 'light' | 'dark'

/** What axe measures contrast with (WCAG 2.2, relative luminance); its types leave it out. */
interface Measuring {
  Color: new () => { parseString: (colour: string) => void }
  getContrast: (on: unknown, text: unknown) => number
}
const { Color, getContrast } = (axe.commons as unknown as { color: Measuring }).color

const TOKEN = /--([\w-]+): light-dark\((#\w+), (#\w+)\)/g

/** The tokens by day and in the dark, as they are written for everybody. */
const written = readFileSync('src/theme/tokens.css', 'utf8').split('@media')[0] ?? ''
const tokens = new Map<string, Record<Looks, string>>()
for (const [, name = '', light = '', dark = ''] of written.matchAll(TOKEN)) {
  tokens.set(name, { light, dark })
}

const TEXTS = ['ink', 'ink-soft', 'spruce', 'brick']
const GROUNDS = ['ground', 'sheet', 'sheet-soft', 'spruce-wash']
const COLOURS = ['moss', 'clay', 'harbour', 'plum', 'straw', 'slate', 'rose', 'lagoon']

/** What stands on what, and how much they have to differ (WCAG 2.2, 1.4.3 and 1.4.11). */
const PAIRS: [string, string, number][] = [
  ...TEXTS.flatMap((text) => GROUNDS.map((on): [string, string, number] => [text, on, 4.5])),
  ['marigold', 'sheet', 4.5],
  ['marigold', 'ground', 4.5],
  ['marigold', 'marigold-wash', 4.5],
  ['ink', 'marigold-wash', 4.5],
  ['ink-soft', 'marigold-wash', 4.5],
  ['spruce', 'marigold-wash', 4.5],
  ['brick', 'brick-wash', 4.5],
  ['ink', 'brick-wash', 4.5],
  ['ink', 'line-soft', 4.5],
  ['ink-soft', 'line-soft', 4.5],
  ['on-spruce', 'spruce', 4.5],
  ['on-spruce', 'spruce-deep', 4.5],
  ['on-spruce', 'brick', 4.5],
  ...COLOURS.flatMap((colour) =>
    ['ground', 'sheet'].map((on): [string, string, number] => [colour, on, 3]),
  ),
]

function colour(name: string, looks: Looks): unknown {
  const parsed = new Color()
  parsed.parseString(tokens.get(name)?.[looks] ?? `no token ${name}`)
  return parsed
}

describe.each(['light', 'dark'] as const)('%s', (looks) => {
  it.each(PAIRS)('%s on %s differ by %d', (text, on, least) => {
    expect(getContrast(colour(on, looks), colour(text, looks))).toBeGreaterThanOrEqual(least)
  })
})
