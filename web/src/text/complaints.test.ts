import { describe, expect, it } from 'vitest'

import { aboutSaying, complaintSaying, isAt } from './complaints'

describe('complaints', () => {
  it.each([
    ['then[1]', true],
    ['then[1].to[0]', true],
    ['then[10].to', false],
    ['then', false],
  ])('that of %s is at then[1]: %s', (path, there) => {
    expect(isAt({ path, message: '' }, 'then[1]')).toBe(there)
  })

  it.each([
    ['The name', 'name', 'name'],
    ['Alias 2', 'alias', 'aliases[1]'],
    ['This', '', 'then[1]'],
  ])('are about “%s”', (about, noun, path) => {
    expect(aboutSaying(noun, path)).toBe(about)
  })

  it.each([
    ['has to be an address like name@domain', 'This has to be an address like name@domain.'],
    ['Say whom it goes to.', 'Say whom it goes to.'],
    ['“a” is named twice; once is enough', '“a” is named twice; once is enough.'],
  ])('make a sentence of “%s”', (message, saying) => {
    expect(complaintSaying('This', message)).toBe(saying)
  })
})
