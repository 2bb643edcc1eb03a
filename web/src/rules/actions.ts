/** What a rule can do, and which actions stand in each other's way: from the core's catalogue. */
import type { Action, Rule } from '@/api/client'

import { CATALOGUE } from './catalogue'
import { spokenPath } from './sayings'

export type ActionName = Action['do']

export interface ActionKind {
  name: ActionName
  /** None where the editor has a place of its own for it. */
  label: string | null
  /** What is said of it in a list of rules, with keys in braces. */
  short: string
  /** Only one action of a slot can stand in a rule. */
  slot: 'place' | 'seen' | 'flagged' | 'colour' | 'priority' | null
  /** As it is when it is added. */
  fresh: Action
  /** The keys that have to be filled in. */
  needs: readonly string[]
  input: 'nothing' | 'pick' | 'folder' | 'label' | 'addresses' | 'answer'
  picks: { key: string; label: string; values: readonly string[]; optional: boolean } | null
  /** The folder that every mailbox has, where it moves mail into one. */
  movesTo: 'inbox' | 'archive' | 'trash' | 'erased' | null
}

/** What is known of each action: none can be missing, none can be too many. */
const ACTIONS = CATALOGUE.actions satisfies Record<
  ActionName,
  Omit<ActionKind, 'name' | 'fresh'> & { fresh: { do: ActionName } }
>

export const ACTION_KINDS: readonly ActionKind[] = (Object.keys(ACTIONS) as ActionName[]).map(
  (name) => ({ ...ACTIONS[name], name }) as ActionKind,
)

export function actionKind(name: ActionName): ActionKind {
  const named = ACTION_KINDS.find((kind) => kind.name === name)
  if (!named) throw new Error(`no action is called ${name}`)
  return named
}

/** Its label, for what can be added; else what is said of it in short. */
export function actionLabel(name: ActionName): string {
  const kind = actionKind(name)
  return kind.label ?? kind.short
}

/** A fresh action, to be changed at will. */
export function freshAction(kind: ActionKind): Action {
  return structuredClone(kind.fresh)
}

/** The kinds that can be added: those whose slot is free. */
export function freeKinds(more: readonly Action[], filed: boolean): ActionKind[] {
  const taken = new Set(more.map((action) => actionKind(action.do).slot))
  if (filed) taken.add('place')
  return ACTION_KINDS.filter(
    (kind) => kind.label !== null && (kind.slot === null || !taken.has(kind.slot)),
  )
}

function filledIn(value: unknown): boolean {
  return typeof value === 'string' ? value.trim() !== '' : Array.isArray(value) && value.length > 0
}

function valueOf(action: Action, key: string): unknown {
  return new Map<string, unknown>(Object.entries(action)).get(key)
}

/** Whether an action says all that it needs: one that does not yet is left out of the rehearsal. */
export function isComplete(action: Action): boolean {
  return actionKind(action.do).needs.every((key) => filledIn(valueOf(action, key)))
}

const MISSING: Record<ActionKind['input'], string> = {
  nothing: '',
  pick: 'Choose one.',
  folder: 'Choose the folder that it is copied to.',
  label: 'Choose the label that is taken off.',
  addresses: 'Say whom it is forwarded to: an address like name@domain.',
  answer: 'Write what the answer says.',
}

/** What has to be filled in before an action can be saved; empty where nothing is missing. */
export function missingSaying(action: Action): string {
  return isComplete(action) ? '' : MISSING[actionKind(action.do).input]
}

/** What an action will do, in short: "file in Gauges". */
export function shortSaying(action: Action): string {
  return actionKind(action.do).short.replace(/\{(\w+)\}/g, (_, key: string) => {
    const value = valueOf(action, key)
    const said = Array.isArray(value) ? value.join(', ') : String(value)
    return key === 'folder' ? spokenPath(said) : said
  })
}

/** What a rule does, on one line: "File in Gauges, label Alarm; stops". */
export function doesSaying(rule: Rule): string {
  const line = rule.then.map(shortSaying).join(', ') + (rule.stop ? '; stops' : '')
  return line.charAt(0).toUpperCase() + line.slice(1)
}
