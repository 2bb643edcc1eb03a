/** Marks of the picture of interruptions: each stands for mail that can be looked at. */
export const WEEKDAYS = [
  'Monday',
  'Tuesday',
  'Wednesday',
  'Thursday',
  'Friday',
  'Saturday',
  'Sunday',
] as const

/** What reached the inbox, or what rules put elsewhere; in one hour of one weekday, or in all. */
export interface Mark {
  came: 'inbox' | 'elsewhere'
  weekday?: number
  hour?: number
}

/** "Reached the inbox, Mondays 9:00 to 10:00". */
export function markSaying({ came, weekday, hour }: Mark): string {
  const what = came === 'inbox' ? 'Reached the inbox' : 'Kept from the inbox by rules'
  if (weekday === undefined || hour === undefined) return what
  return `${what}, ${WEEKDAYS[weekday] ?? ''}s ${hour}:00 to ${hour + 1}:00`
}
