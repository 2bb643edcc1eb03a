import { describe, expect, it } from 'vitest'

import type { Insights } from '@/api/client'

import { flowShape } from './flow-shape'

function end(name: string, messages: number) {
  return { name, messages, search: name }
}

const MAIL = {
  messages: 100,
  sources: [end('by machine', 60), end('people', 40)],
  places: [end('Gauges', 60), end('Inbox', 39), end('Odd', 1)],
  bands: [
    { source: 0, place: 0, messages: 60, search: '', rules: [] },
    { source: 1, place: 1, messages: 39, search: '', rules: [] },
    { source: 1, place: 2, messages: 1, search: '', rules: [] },
  ],
} as unknown as Insights

describe('the shape of the flow', () => {
  const shape = flowShape(MAIL, 100, 400, 22)

  it('is as high as its mail', () => {
    const [machine, people] = shape.sources
    expect(machine?.height).toBeCloseTo(1.5 * (people?.height ?? 0))
  })

  it('leaves room for every name, and none lies over another', () => {
    for (const side of [shape.sources, shape.places]) {
      side.slice(1).forEach((block, at) => {
        const above = side[at]
        expect(block.middle - (above?.middle ?? 0)).toBeGreaterThanOrEqual(22)
        expect(block.y).toBeGreaterThanOrEqual((above?.y ?? 0) + (above?.height ?? 0))
      })
    }
  })

  it('has bands that begin and end at their blocks, one below the other', () => {
    expect(shape.ribbons).toHaveLength(3)
    const [, people] = shape.sources
    expect(shape.ribbons[1]?.path.startsWith(`M100,${people?.y}C`)).toBe(true)
    expect(shape.ribbons[2]?.path.startsWith(`M100,${people?.y}C`)).toBe(false)
  })
})
