import { expect, it } from 'vitest'

import { measureOf, written, type MeasureKind } from './measures'

it.each<[string | undefined, MeasureKind, number | undefined, string, string[]]>([
  ['2 MB', 'size', 2, 'MB', ['2 MB']],
  ['500kb', 'size', 500, 'KB', ['500 KB']],
  ['4096', 'size', 4096, 'octets', ['4096']],
  ['1 day', 'age', 1, 'days', ['1 days']],
  ['90 minutes', 'age', 90, 'minutes', ['90 minutes']],
  [undefined, 'age', undefined, 'days', []],
])('takes “%s” apart and writes it again', (value, kind, amount, unit, again) => {
  const measure = measureOf(value, kind)
  expect(measure).toEqual({ amount, unit })
  expect(written(measure)).toEqual(again)
})
