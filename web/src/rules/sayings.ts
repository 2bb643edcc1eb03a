/** Short sayings about rules, mail and counts. */
import type { CatchUpReport } from '@/api/client'

/** A folder's path as people read it. */
export function spokenPath(path: string): string {
  return path.split('/').join(' / ')
}

/** What a catch-up did: "71 moved, 3 labelled, 12 were in order already". */
export function catchUpSaying(done: CatchUpReport): string {
  const left = Object.values(done.left).reduce((sum, count) => sum + count, 0)
  if (done.taken + done.respected + left === 0) return 'None of the messages here is taken'
  const counts: [number, string][] = [
    [done.moved, 'moved'],
    [done.marked, 'marked'],
    [done.labelled, 'labelled'],
    [done.unchanged, 'in order already'],
    [left, left === 1 ? 'left to a rule above' : 'left to rules above'],
    [done.respected, 'left as you put them'],
  ]
  const parts = counts
    .filter(([count]) => count > 0)
    .map(([count, said]) => `${count.toLocaleString('en-GB')} ${said}`)
  return `Caught up: ${parts.join(', ')}`
}

export function countSaying(count: number, one: string, many = `${one}s`): string {
  return `${count.toLocaleString('en-GB')} ${count === 1 ? one : many}`
}

/** Short of time the server says "at least"; a thousand is enough to know. */
const AT_ONCE = 1000

/** How many were found, where the server may not have looked at all of the mail. */
export function foundSaying(count: number, whole: boolean): string {
  if (whole) return count.toLocaleString('en-GB')
  return `${Math.min(count, AT_ONCE).toLocaleString('en-GB')}+`
}

const DAY = 86_400_000

function startOfDay(date: Date): number {
  return new Date(date.getFullYear(), date.getMonth(), date.getDate()).getTime()
}

/** "Today", "Yesterday", "28 April", "28 April 2025". */
export function daySaying(date: Date, now: Date): string {
  const days = Math.round((startOfDay(now) - startOfDay(date)) / DAY)
  if (days === 0) return 'Today'
  if (days === 1) return 'Yesterday'
  if (days === -1) return 'Tomorrow'
  const year = date.getFullYear() === now.getFullYear() ? undefined : ('numeric' as const)
  return date.toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year })
}

export function timeSaying(date: Date): string {
  return date.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
}

/** "today 09:14", "28 April 09:14": a moment inside a sentence. */
export function momentSaying(date: Date, now: Date): string {
  return `${dayInSentence(date, now)} ${timeSaying(date)}`
}

/** "today", "28 April": a day inside a sentence. */
export function dayInSentence(date: Date, now: Date): string {
  const day = daySaying(date, now)
  return ['Today', 'Yesterday', 'Tomorrow'].includes(day) ? day.toLowerCase() : day
}

/** A size in octets for a person: "24 KB" (KB = 1,024). */
export function sizeSaying(octets: number): string {
  if (octets < 1024) return `${octets} bytes`
  const kilobytes = octets / 1024
  return kilobytes < 1024 ? `${Math.round(kilobytes)} KB` : `${(kilobytes / 1024).toFixed(1)} MB`
}
