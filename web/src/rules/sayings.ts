/** Short sayings about rules, mail and counts. */
import type { Action, CatchUp, Evidence, Rule, TrailEntry } from '@/api/client'

/** A folder's path as people read it. */
export function spokenPath(path: string): string {
  return path.split('/').join(' / ')
}

function actionSaying(action: Action): string {
  switch (action.do) {
    case 'file':
      return `File in ${spokenPath(action.folder)}`
    case 'label':
      return `label ${action.label}`
    case 'keep':
      return 'keep in the inbox'
    default:
      return action.do
  }
}

/** What a rule does, on one line: "File in Gauges, label Alarm; stops". */
export function doesSaying(rule: Rule): string {
  const line = rule.then.map(actionSaying).join(', ') + (rule.stop ? '; stops' : '')
  return line.charAt(0).toUpperCase() + line.slice(1)
}

const ADDRESS_HEADERS: Record<string, string> = {
  from: 'from',
  to: 'came to',
  cc: 'came to',
  bcc: 'came to',
  delivered_to: 'came to',
  x_original_to: 'came to',
  envelope: 'came to',
}

function pieceSaying(piece: Evidence): string {
  const lead = ADDRESS_HEADERS[piece.field]
  if (lead === undefined) return `“${piece.value.slice(piece.start, piece.end)}”`
  const at = piece.value.indexOf('@')
  return `${lead} ${piece.value.slice(0, at < 0 ? undefined : at + 1)}`
}

/** Why a rule took a message, on one line: "came to moorings@, “permit”". */
export function becauseSaying(entry: TrailEntry): string {
  return entry.evidence.map(pieceSaying).join(', ')
}

/** What a catch-up did: "71 moved, 3 labelled, 12 were in order already". */
export function catchUpSaying(done: CatchUp): string {
  if (done.taken === 0) return 'The rule takes none of the messages here'
  const parts = [
    done.moved > 0 ? `${done.moved} moved` : '',
    done.labelled > 0 ? `${done.labelled} labelled` : '',
    done.unchanged > 0 ? `${done.unchanged} in order already` : '',
  ]
  return `Caught up: ${parts.filter(Boolean).join(', ')}`
}

export function countSaying(count: number, one: string, many = `${one}s`): string {
  return `${count.toLocaleString('en-GB')} ${count === 1 ? one : many}`
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
  const year = date.getFullYear() === now.getFullYear() ? undefined : ('numeric' as const)
  return date.toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year })
}

export function timeSaying(date: Date): string {
  return date.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
}

/** "today 09:14", "28 April 09:14": a moment inside a sentence. */
export function momentSaying(date: Date, now: Date): string {
  const day = daySaying(date, now)
  const near = day === 'Today' || day === 'Yesterday'
  return `${near ? day.toLowerCase() : day} ${timeSaying(date)}`
}

/** A size in octets for a person: "24 KB" (KB = 1,024). */
export function sizeSaying(octets: number): string {
  if (octets < 1024) return `${octets} bytes`
  const kilobytes = octets / 1024
  return kilobytes < 1024 ? `${Math.round(kilobytes)} KB` : `${(kilobytes / 1024).toFixed(1)} MB`
}
