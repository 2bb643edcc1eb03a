/** Text with pieces of it marked, from spans that may overlap. */
import type { Evidence } from '@/api/client'

export interface Stretch {
  text: string
  marked: boolean
}

/** The whole text in stretches, marked wherever a piece of evidence with this field stands. */
export function stretches(text: string, evidence: readonly Evidence[], field: string): Stretch[] {
  const spans = evidence
    .filter((piece) => piece.field === field && piece.value === text && piece.end > piece.start)
    .map(({ start, end }) => ({ start, end }))
    .sort((a, b) => a.start - b.start)
  const pieces: Stretch[] = []
  let at = 0
  for (const { start, end } of spans) {
    if (end <= at) continue
    const from = Math.max(start, at)
    if (from > at) pieces.push({ text: text.slice(at, from), marked: false })
    pieces.push({ text: text.slice(from, end), marked: true })
    at = end
  }
  if (at < text.length) pieces.push({ text: text.slice(at), marked: false })
  return pieces
}
