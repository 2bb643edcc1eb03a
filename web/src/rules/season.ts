/** Where a rule for a time stands today. */
import type { Rule } from '@/api/client'

/** A moment's calendar day, like "2026-08-03" (ISO 8601), where the owner's days begin. */
export function dayOf(moment: Date, timezone: string): string {
  return moment.toLocaleDateString('sv-SE', { timeZone: timezone })
}

/** Whether its first day is still to come, or its last day is past. */
export function seasonOf(rule: Rule, today: string): 'waits' | 'over' | undefined {
  const { from, until } = rule.active ?? {}
  if (from && today < from) return 'waits'
  return until && until < today ? 'over' : undefined
}
