/** Problems that a page goes on from, by their type (RFC 9457, section 3.1.1). */
import { RefusedError, type ProblemDetails } from './client'

const TYPES = {
  muchMailMoves: 'tag:mnemic.example,2026:much-mail-moves',
  examplesBreak: 'tag:mnemic.example,2026:examples-break',
  changedMeanwhile: 'tag:mnemic.example,2026:changed-meanwhile',
} as const satisfies Record<string, ProblemDetails['type']>

/** Whether the server refused for this reason. */
export function isRefused(error: unknown, why: keyof typeof TYPES): error is RefusedError {
  return error instanceof RefusedError && error.problem.type === TYPES[why]
}
