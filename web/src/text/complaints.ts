/** What is wrong with something that was filled in, and where. */
import type { RefusedError } from '@/api/client'

export interface Complaint {
  /** As the server names places: "then[0].text"; empty where it is about the whole. */
  path: string
  message: string
}

/** What the server refused: each thing by its place, or the whole in its own words. */
export function complaintsOf(error: RefusedError): Complaint[] {
  const { errors, detail } = error.problem
  return errors.length > 0 ? errors : [{ path: '', message: detail }]
}

/** Whether a complaint is about this place, or about something inside it. */
export function isAt({ path }: Complaint, place: string): boolean {
  return path === place || path.startsWith(`${place}.`) || path.startsWith(`${place}[`)
}

/** What a complaint is about: "The name", "Alias 2" for what stands second in a list. */
export function aboutSaying(noun: string, path: string): string {
  if (!noun) return 'This'
  const index = /\[(\d+)\]$/.exec(path)?.[1]
  if (index === undefined) return `The ${noun}`
  return `${noun.charAt(0).toUpperCase()}${noun.slice(1)} ${Number(index) + 1}`
}

/** A sentence: the server's words often leave out what they are said of, "has to be an address". */
export function complaintSaying(about: string, message: string): string {
  const whole = !about || /^\p{Lu}|^["“]/u.test(message) ? message : `${about} ${message}`
  return /[.?]$/.test(whole) ? whole : `${whole}.`
}
