/** Sizes and ages as people write them: a whole number and a unit. */
export const UNITS = {
  size: ['KB', 'MB', 'GB'],
  age: ['hours', 'days', 'weeks'],
} as const

export type MeasureKind = keyof typeof UNITS

export interface Measure {
  amount: number | undefined
  unit: string
}

const USUAL = { size: 'MB', age: 'days' } as const

/** A value taken apart; one in another unit ("90 minutes", plain octets) keeps it. */
export function measureOf(value: string | undefined, kind: MeasureKind): Measure {
  const parts = /^\s*(\d+)\s*([a-z]*)\s*$/i.exec(value ?? '')
  if (!parts) return { amount: undefined, unit: USUAL[kind] }
  const written = parts[2] ?? ''
  const plural = kind === 'age' && !written.endsWith('s') ? `${written}s` : written
  const known = UNITS[kind].find((unit) => unit.toLowerCase() === plural.toLowerCase())
  return { amount: Number(parts[1]), unit: known ?? (kind === 'age' ? plural : 'octets') }
}

export function written({ amount, unit }: Measure): string[] {
  if (amount === undefined) return []
  return [unit === 'octets' ? String(amount) : `${amount} ${unit}`]
}
