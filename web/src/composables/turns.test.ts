import { describe, expect, it, vi } from 'vitest'

import { inTurn } from './turns'

describe('pieces of laying out', () => {
  it('are done in frames of their own, in the order in which they were asked for', async () => {
    const frames: string[][] = []
    let frame: string[] = []
    function count(): void {
      frames.push(frame)
      frame = []
      requestAnimationFrame(count)
    }
    const piece = (name: string) => () => void frame.push(name)
    inTurn(() => {
      frame.push('first')
      inTurn(piece('after it'))
    })
    const takeBack = inTurn(piece('taken back'))
    inTurn(piece('second'))
    takeBack()
    requestAnimationFrame(count)
    await vi.waitFor(() => {
      expect(frames.flat()).toHaveLength(3)
    })
    expect(frames.filter((next) => next.length)).toEqual([['first'], ['second'], ['after it']])
  })
})
