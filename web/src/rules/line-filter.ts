/** Which rules of the line are shown: those whose name, sentence of actions or state fit. */
import type { StoredRule } from '@/api/client'

import { doesSaying } from './actions'

/** Every word that was typed has to stand in the rule's name, in what it does, or be on or off. */
export function fits(stored: StoredRule, typed: string): boolean {
  const state = stored.rule.enabled ? 'on' : 'off'
  const text = `${stored.rule.name} ${doesSaying(stored.rule)}`.toLowerCase()
  return typed
    .toLowerCase()
    .split(/\s+/)
    .filter(Boolean)
    .every((word) => text.includes(word) || word === state)
}
