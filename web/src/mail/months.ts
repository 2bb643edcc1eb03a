/** Months as terms of a search, so that a group can be narrowed by a click. */

export interface Month {
  label: string
  terms: string
}

function day(date: Date): string {
  const two = (number: number): string => String(number).padStart(2, '0')
  return `${date.getFullYear()}-${two(date.getMonth() + 1)}-${two(date.getDate())}`
}

/** This month and the one before it: what was received after a day and before another. */
export function monthsBack(now: Date): Month[] {
  const month = (back: number): string => {
    const before = new Date(now.getFullYear(), now.getMonth() - back, 0)
    const after = new Date(now.getFullYear(), now.getMonth() - back + 1, 1)
    return `after:${day(before)} before:${day(after)}`
  }
  return [
    { label: 'this month', terms: month(0) },
    { label: 'last month', terms: month(1) },
  ]
}
