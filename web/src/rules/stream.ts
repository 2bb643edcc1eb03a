/** The line as a stream: a trunk that thins as rules take mail off it, a branch for each rule. */
import type { StoredRule } from '@/api/client'

/** Measures in pixels; ROW is the height of a rule in the list beside the stream. */
export const ROW = 72
export const WIDTH = 70
const FULL = 40
const LEAST = 5
const BRANCH_DEPTH = 26

export interface Branch {
  id: number
  path: string
  /** Rules that are off, or leave the mail in the stream, are drawn as a dashed line. */
  quiet: boolean
}

export interface Stream {
  trunk: string
  branches: Branch[]
  height: number
}

/** Whether a rule takes mail off the stream. */
function takesOff(stored: StoredRule): boolean {
  return stored.rule.enabled && stored.rule.then.some((action) => action.do === 'file')
}

/** To a tenth of a pixel: what nobody would see is not drawn anew. */
function thickness(count: number, arrived: number): number {
  return arrived > 0 ? round((FULL * Math.min(count, arrived)) / arrived) : 0
}

function round(pixels: number): number {
  return Math.round(pixels * 10) / 10
}

export function streamOf(rules: readonly StoredRule[], arrived: number): Stream {
  const height = ROW * (rules.length + 1)
  let width = FULL
  const edge = [`M0 0 H${FULL}`]
  const branches = rules.map((stored, index): Branch => {
    const top = index * ROW
    const end = top + BRANCH_DEPTH
    if (!takesOff(stored)) {
      edge.push(`V${end}`)
      return { id: stored.id, quiet: true, path: `M${width + 2} ${end - 4} H${WIDTH}` }
    }
    const taken = Math.max(1, thickness(stored.taken, arrived))
    const before = width
    width = round(Math.max(LEAST, width - taken))
    edge.push(`V${top} C${before} ${top + 14} ${width} ${top + 14} ${width} ${end}`)
    const tip = end - 4
    const curve = `C${before} ${top + 12} ${before + 8} ${tip} ${WIDTH} ${tip}`
    const back = `C${before + 4} ${tip + 2} ${width} ${tip + 4} ${width} ${end + 6}`
    return { id: stored.id, quiet: false, path: `M${before} ${top} ${curve} ${back} Z` }
  })
  const trunk = `${edge.join(' ')} V${height - 10} L${width / 2} ${height} L0 ${height - 10} Z`
  return { trunk, branches, height }
}
