/** The shape of the flow: ends as blocks on both sides, and bands between them, in pixels. */
import type { Insights } from '@/api/client'
import { COLOURS } from '@/mail/colours'

export type Band = Insights['bands'][number]
export type End = Insights['sources'][number]

export interface Block {
  end: End
  y: number
  height: number
  /** The middle of the room that its name has. */
  middle: number
}

export interface Ribbon {
  band: Band
  path: string
  colour: string
}

export interface FlowShape {
  height: number
  sources: Block[]
  places: Block[]
  ribbons: Ribbon[]
}

/** What all mail is high, without the gaps. */
const BODY = 340

const GAP = 6
const THIN = 1.5

/** Blocks from top to bottom, each as high as its mail, with room for its name. */
function stacked(ends: readonly End[], scale: number, least: number): Block[] {
  let top = 0
  return ends.map((end) => {
    const height = Math.max(THIN, end.messages * scale)
    const room = Math.max(least, height)
    const block = { end, y: top + (room - height) / 2, height, middle: top + room / 2 }
    top += room + GAP
    return block
  })
}

function bottom(blocks: readonly Block[], least: number): number {
  const last = blocks.at(-1)
  return last ? Math.max(last.y + last.height, last.middle + least / 2) : 0
}

function lowered(blocks: readonly Block[], by: number): Block[] {
  return blocks.map((block) => ({ ...block, y: block.y + by, middle: block.middle + by }))
}

/** A band as wide as its mail, from the left to the right (SVG 2, section 9: paths). */
function ribbon(from: number, to: number, thick: number, left: number, right: number): string {
  const half = (left + right) / 2
  return (
    `M${left},${from}C${half},${from} ${half},${to} ${right},${to}` +
    `V${to + thick}C${half},${to + thick} ${half},${from + thick} ${left},${from + thick}Z`
  )
}

/** `room` is what a name needs, whatever its block is high. */
export function flowShape(mail: Insights, left: number, right: number, room: number): FlowShape {
  const scale = BODY / Math.max(1, mail.messages)
  const one = stacked(mail.sources, scale, room)
  const other = stacked(mail.places, scale, room)
  const ends = [bottom(one, room), bottom(other, room)] as const
  const height = Math.max(...ends)
  const sources = lowered(one, (height - ends[0]) / 2)
  const places = lowered(other, (height - ends[1]) / 2)
  const began = sources.map((block) => block.y)
  const ended = places.map((block) => block.y)
  const ribbons = mail.bands.map((band) => {
    const thick = Math.max(THIN, band.messages * scale)
    const from = began[band.source] ?? 0
    const to = ended[band.place] ?? 0
    began[band.source] = from + band.messages * scale
    ended[band.place] = to + band.messages * scale
    const colour = COLOURS[(band.source * 3) % COLOURS.length] ?? 'slate'
    return { band, path: ribbon(from, to, thick, left, right), colour }
  })
  return { height, sources, places, ribbons }
}
