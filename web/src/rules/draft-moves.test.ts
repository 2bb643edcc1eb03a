import { describe, expect, it } from 'vitest'

import {
  moveNode,
  newCondition,
  newGroup,
  prune,
  revived,
  type DraftGroup,
  type DraftNode,
} from './draft'

function condition(value: string): DraftNode {
  return { ...newCondition('subject'), values: [value] }
}

/** A bracket read back: "all(a any(b c))". */
function read(node: DraftNode): string {
  if (node.kind === 'condition') return node.values.join()
  return `${node.bracket}(${node.nodes.map(read).join(' ')})`
}

function sample(): DraftGroup {
  const inner = newGroup('any', [condition('b'), condition('c')])
  return newGroup('all', [condition('a'), inner, condition('d')])
}

function find(node: DraftNode, value: string): number | undefined {
  if (node.kind === 'condition') return node.values[0] === value ? node.id : undefined
  for (const child of node.nodes) {
    const held = find(child, value)
    if (held !== undefined) return held
  }
  return undefined
}

describe('a condition that is moved', () => {
  it.each<[string, -1 | 1, string]>([
    ['a', 1, 'all(any(a b c) d)'],
    ['d', -1, 'all(a any(b c d))'],
    ['b', 1, 'all(a any(c b) d)'],
    ['b', -1, 'all(a b any(c) d)'],
    ['c', 1, 'all(a any(b) c d)'],
  ])('%s by %d stands where a person would look for it', (value, by, expected) => {
    const root = sample()
    expect(moveNode(root, find(root, value) ?? 0, by)).toBe(true)
    expect(read(root)).toBe(expected)
  })

  it('stays at the ends, and goes back the way it came', () => {
    const root = sample()
    expect(moveNode(root, find(root, 'a') ?? 0, -1)).toBe(false)
    expect(moveNode(root, 0, 1)).toBe(false)
    for (const by of [1, 1, 1, 1, -1, -1, -1, -1] as const) moveNode(root, find(root, 'a') ?? 0, by)
    expect(read(root)).toBe(read(sample()))
  })

  it('leaves no empty bracket behind', () => {
    const root = newGroup('all', [condition('a'), newGroup('any', [condition('b')])])
    moveNode(root, find(root, 'b') ?? 0, -1)
    expect(read(root)).toBe('all(a b)')
    const hollow = newGroup('all', [newGroup('any', [newGroup('all', [])]), condition('a')])
    prune(hollow)
    expect(read(hollow)).toBe('all(a)')
  })
})

it('is given numbers of its own when it is taken up again', () => {
  const root = sample()
  const draft = {
    name: '',
    named: false,
    enabled: true,
    runs: [],
    accounts: [],
    active: { from: '', until: '' },
    when: root,
    unless: newGroup('any', [condition('x')]),
    folder: '',
    labels: [],
    more: [],
    stop: false,
    pins: [],
  }
  const again = revived(JSON.parse(JSON.stringify(draft)) as typeof draft)
  expect(read(again.when)).toBe(read(root))
  expect(again.when.id).not.toBe(root.id)
  expect(find(again.when, 'b')).not.toBe(find(root, 'b'))
})
