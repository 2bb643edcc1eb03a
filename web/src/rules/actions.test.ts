import { describe, expect, it } from 'vitest'

import { ACTION_KINDS, freeKinds, freshAction, isComplete } from './actions'

describe('the actions that can be added', () => {
  it('leave out what would set a slot twice', () => {
    const names = freeKinds([{ do: 'flag' }, { do: 'copy', folder: 'A' }], true).map(
      (kind) => kind.name,
    )
    expect(names).not.toContain('unflag')
    expect(names).not.toContain('trash')
    expect(names).toContain('copy')
    expect(freeKinds([{ do: 'archive' }], false).map((kind) => kind.name)).not.toContain('erase')
  })

  it('are complete as they are made, but for those that need words', () => {
    const incomplete = ACTION_KINDS.filter((kind) => !isComplete(freshAction(kind)))
    expect(incomplete.map((kind) => kind.name)).toEqual([
      'copy',
      'label',
      'unlabel',
      'forward',
      'reply',
    ])
  })
})
