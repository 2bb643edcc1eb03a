import { expect, it } from 'vitest'

import type { StoredRule } from '@/api/client'

import { ROW, streamOf } from './stream'

function stored(id: number, taken: number, enabled = true, files = true): StoredRule {
  const then = files
    ? [{ do: 'file' as const, folder: 'A' }]
    : [{ do: 'label' as const, label: 'A' }]
  const rule = {
    name: 'r',
    enabled,
    runs: ['arrival' as const],
    accounts: [],
    active: null,
    when: { always: true as const },
    unless: null,
    then,
    stop: false,
  }
  return { id, rule, version: 'a', taken, pins: [] }
}

function widthAtEnd(trunk: string): number {
  return 2 * Number(/L([\d.]+) \d+ L0/.exec(trunk)?.[1])
}

it('thins by what rules take off it, and not by those that are off or only label', () => {
  const full = widthAtEnd(streamOf([], 100).trunk)
  const half = streamOf([stored(1, 50)], 100)
  expect(widthAtEnd(half.trunk)).toBe(full / 2)
  const quiet = streamOf([stored(1, 50, false), stored(2, 50, true, false)], 100)
  expect(widthAtEnd(quiet.trunk)).toBe(full)
  expect(quiet.branches.map((branch) => branch.quiet)).toEqual([true, true])
  expect(quiet.height).toBe(3 * ROW)
})

it('never dries up, whatever the counts say', () => {
  expect(widthAtEnd(streamOf([stored(1, 900), stored(2, 900)], 100).trunk)).toBeGreaterThan(0)
  expect(streamOf([stored(1, 5)], 0).trunk).not.toContain('NaN')
})

it('is drawn as before where what changed would not be seen', () => {
  const line = [stored(1, 500), stored(2, 3)]
  expect(streamOf(line, 10_001)).toEqual(streamOf(line, 10_000))
  expect(streamOf(line, 12_000)).not.toEqual(streamOf(line, 10_000))
})
