/** Of the mail that lay in the inbox at the end of a day, what still does: as a search. */
import dayjs from 'dayjs'

export function stillThere(day: string): string {
  return `folder:Inbox before:${dayjs(day).add(1, 'day').format('YYYY-MM-DD')}`
}
