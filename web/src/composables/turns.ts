/**
 * Pieces of laying out that wait for one another: one in each frame, whoever asked for it. Two that
 * came in the same frame would be one task for the browser, and what is pressed waits for a task
 * (Long Tasks API, W3C).
 */

type Piece = () => void

const waiting = new Set<Piece>()

let asked = false

function ask(): void {
  if (asked || waiting.size === 0) return
  asked = true
  requestAnimationFrame(() => {
    asked = false
    const [piece] = waiting
    if (piece === undefined) return
    waiting.delete(piece)
    ask()
    piece()
  })
}

/** Have a piece done in a frame of its own; the answer takes it back. */
export function inTurn(piece: Piece): () => void {
  waiting.add(piece)
  ask()
  return () => {
    waiting.delete(piece)
  }
}
