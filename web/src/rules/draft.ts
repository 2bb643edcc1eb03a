/** A rule while it is written: a tree of brackets and conditions, from a rule and back without loss. */
import type { Action, Condition, Rule, Test } from '@/api/client'

import { actionKind, type ActionKind } from './actions'
import { aspectFor, aspectOf, hasCase, type TestName } from './conditions'

export type Bracket = 'all' | 'any'
export type RunsOn = Rule['runs'][number]

export interface DraftCondition {
  kind: 'condition'
  /** Tells rows apart while they are added and removed. */
  id: number
  negated: boolean
  /** The key of what it is about. */
  aspect: string
  test: TestName
  values: string[]
  /** What is being typed and not yet taken as a value; it counts in the rehearsal. */
  typed: string
  /** Whether case counts. */
  exact: boolean
  /** The header field's name, where one is looked at. */
  header: string
  /** A test that this screen has no words for: it is kept as it is. */
  kept?: Test
}

export interface DraftGroup {
  kind: 'group'
  id: number
  negated: boolean
  bracket: Bracket
  nodes: DraftNode[]
}

export type DraftNode = DraftCondition | DraftGroup

/** A message that the rule must take, or must not. */
export interface Pin {
  message_id: number
  wanted: boolean
}

export interface Draft {
  name: string
  /** The name follows the contents until the person types one. */
  named: boolean
  enabled: boolean
  runs: RunsOn[]
  accounts: string[]
  /** The days of receipt that it is for; empty where it has no first or last one. */
  active: { from: string; until: string }
  when: DraftGroup
  unless: DraftGroup | undefined
  folder: string
  labels: string[]
  /** What it does besides filing and labelling. */
  more: Action[]
  stop: boolean
  pins: Pin[]
  /** How often to look into the folder that it files in, set once it is saved. */
  lookIn?: number
  /** What people call an address or a list, where the rule began with a fact that knew it. */
  called?: Record<string, string>
}

let lastId = 0
function nextId(): number {
  lastId += 1
  return lastId
}

export function newCondition(aspect = 'from'): DraftCondition {
  const test = aspectOf(aspect).tests[0] ?? 'contains'
  return {
    kind: 'condition',
    id: nextId(),
    negated: false,
    aspect,
    test,
    values: [],
    typed: '',
    exact: false,
    header: '',
  }
}

export function newGroup(bracket: Bracket, nodes: DraftNode[]): DraftGroup {
  return { kind: 'group', id: nextId(), negated: false, bracket, nodes }
}

export function newDraft(): Draft {
  return {
    name: '',
    named: false,
    enabled: true,
    runs: ['arrival'],
    accounts: [],
    active: { from: '', until: '' },
    when: newGroup('all', [newCondition()]),
    unless: undefined,
    folder: '',
    labels: [],
    more: [],
    stop: false,
    pins: [],
  }
}

/* From a rule. */

function conditionNode(condition: Condition): DraftCondition {
  const aspect = aspectFor(condition)
  if (!aspect) return { ...newCondition(), kept: condition }
  const {
    values,
    case: exact,
    name,
  } = condition as {
    values?: readonly unknown[] | null
    case?: boolean
    name?: string
  }
  return {
    ...newCondition(aspect.key),
    test: condition.test,
    values: (values ?? []).map(String),
    exact: exact ?? false,
    header: name ?? '',
  }
}

function nodeOf(test: Test): DraftNode {
  if ('all' in test) return newGroup('all', test.all.map(nodeOf))
  if ('any' in test) return newGroup('any', test.any.map(nodeOf))
  if ('not' in test) {
    const inner = nodeOf(test.not)
    // Turned round twice: the screen has one switch, so the inner one is kept as it is.
    return inner.negated ? { ...newCondition(), kept: test } : { ...inner, negated: true }
  }
  if ('always' in test) return { ...newCondition(), kept: test }
  return conditionNode(test)
}

/** The outermost bracket of a test; a test without one gets one of its own. */
export function groupOf(test: Test): DraftGroup {
  const node = nodeOf(test)
  return node.kind === 'group' && !node.negated ? node : newGroup('all', [node])
}

/** The draft of a saved rule. */
export function draftOf(rule: Rule, pins: readonly Pin[] = []): Draft {
  const file = rule.then.find((action) => action.do === 'file')
  return {
    name: rule.name,
    named: true,
    enabled: rule.enabled,
    runs: [...rule.runs],
    accounts: [...rule.accounts],
    active: { from: rule.active?.from ?? '', until: rule.active?.until ?? '' },
    when: groupOf(rule.when),
    unless: rule.unless === null ? undefined : groupOf(rule.unless),
    folder: file?.folder ?? '',
    labels: rule.then.flatMap((action) => (action.do === 'label' ? [action.label] : [])),
    more: rule.then.filter((action) => action.do !== 'file' && action.do !== 'label'),
    stop: rule.stop,
    pins: pins.map((pin) => ({ ...pin })),
  }
}

/** What a condition is about was called its subject once: drafts of that time are kept. */
function conditionAnew(node: DraftCondition & { subject?: string }): DraftCondition {
  const { subject, ...rest } = node
  return subject === undefined ? rest : { ...rest, aspect: subject }
}

/** A draft that was put away as JSON, with numbers of its own: those it had may be taken by now. */
export function revived(draft: Draft): Draft {
  function anew(node: DraftNode): DraftNode {
    if (node.kind === 'condition') return { ...conditionAnew(node), id: nextId() }
    return { ...node, id: nextId(), nodes: node.nodes.map(anew) }
  }
  return {
    ...newDraft(), // drafts of an earlier time lack what rules have learnt since
    ...draft,
    when: anew(draft.when) as DraftGroup,
    unless: draft.unless && (anew(draft.unless) as DraftGroup),
  }
}

/* Moving conditions about. */

function parentOf(root: DraftGroup, id: number): DraftGroup | undefined {
  if (root.nodes.some((node) => node.id === id)) return root
  for (const node of root.nodes) {
    const above = node.kind === 'group' ? parentOf(node, id) : undefined
    if (above) return above
  }
  return undefined
}

/** Take brackets away that hold nothing any more. */
export function prune(group: DraftGroup): void {
  for (const node of group.nodes) if (node.kind === 'group') prune(node)
  group.nodes = group.nodes.filter((node) => node.kind === 'condition' || node.nodes.length > 0)
}

/**
 * Move a condition or bracket one step up (-1) or down (1): past its neighbour, into a bracket that
 * stands there, or out of its own at the end; whether it could be moved.
 */
export function moveNode(root: DraftGroup, id: number, by: -1 | 1): boolean {
  const parent = parentOf(root, id)
  if (!parent) return false
  const at = parent.nodes.findIndex((node) => node.id === id)
  const node = parent.nodes[at]
  if (!node) return false
  const neighbour = parent.nodes[at + by]
  if (neighbour?.kind === 'group') {
    parent.nodes.splice(at, 1)
    neighbour.nodes.splice(by < 0 ? neighbour.nodes.length : 0, 0, node)
  } else if (neighbour) {
    parent.nodes.splice(at, 1)
    parent.nodes.splice(at + by, 0, node)
  } else {
    const outer = parentOf(root, parent.id)
    if (!outer) return false
    const place = outer.nodes.findIndex((candidate) => candidate.id === parent.id)
    parent.nodes.splice(at, 1)
    outer.nodes.splice(by < 0 ? place : place + 1, 0, node)
  }
  prune(root)
  return true
}

/* To a rule. */

export function valuesOf(condition: DraftCondition): string[] {
  const typed = condition.typed.trim()
  return typed && !condition.values.includes(typed)
    ? [...condition.values, typed]
    : condition.values
}

/** Whether a node says something already: what says nothing is left out. */
export function says(node: DraftNode): boolean {
  if (node.kind === 'group') return node.nodes.some(says)
  if (node.kept || node.test === 'exists') return true
  return valuesOf(node).length > 0
}

function conditionTest(node: DraftCondition): Test {
  if (node.kept) return node.kept
  const aspect = aspectOf(node.aspect)
  const { field, part, choices } = aspect
  const values = valuesOf(node).map(
    (value) => choices?.find((choice) => String(choice.value) === value)?.value ?? value,
  )
  return {
    field,
    test: node.test,
    ...(node.test === 'exists' ? {} : { values }),
    ...(part ? { part } : {}),
    ...(field === 'header' ? { name: node.header.trim() } : {}),
    ...(hasCase(aspect, node.test) ? { case: node.exact } : {}),
  } as Condition
}

/** Where each node stands in the rule, as the server names places: "when.all[1].not". */
export type Places = Map<number, string>

function testOf(node: DraftNode, path: string, places: Places): Test {
  places.set(node.id, path)
  const inner = node.negated ? `${path}.not` : path
  let test: Test
  if (node.kind === 'condition') test = conditionTest(node)
  else {
    const tests = node.nodes
      .filter(says)
      .map((child, at) => testOf(child, `${inner}.${node.bracket}[${at}]`, places))
    test = node.bracket === 'all' ? { all: tests } : { any: tests }
  }
  return node.negated ? { not: test } : test
}

/** Which mail the draft takes, as far as it says; undefined while it says nothing. */
export function whenOf(draft: Draft, places: Places = new Map()): Test | undefined {
  return says(draft.when) ? testOf(draft.when, 'when', places) : undefined
}

export function unlessOf(draft: Draft, places: Places = new Map()): Test | undefined {
  const { unless } = draft
  return unless && says(unless) ? testOf(unless, 'unless', places) : undefined
}

export function placesOf(draft: Draft): Places {
  const places: Places = new Map()
  whenOf(draft, places)
  unlessOf(draft, places)
  return places
}

/** The days it is for, as the rule says them. */
export function activeOf(draft: Draft): Rule['active'] {
  const { from, until } = draft.active
  return from || until ? { from: from || null, until: until || null } : null
}

export function thenOf(draft: Draft): Action[] {
  const folder = draft.folder.trim()
  return [
    ...(folder ? [{ do: 'file' as const, folder }] : []),
    ...draft.labels.map((label) => ({ do: 'label' as const, label })),
    ...draft.more,
  ]
}

/** Where each part of Then stands in the rule, as the server names places. */
export function thenPlaces(draft: Draft): { folder: string[]; labels: string[]; more: string[] } {
  const places = thenOf(draft).map((_, at) => `then[${at}]`)
  const filed = draft.folder.trim() ? 1 : 0
  const others = filed + draft.labels.length
  return {
    folder: places.slice(0, filed),
    labels: places.slice(filed, others),
    more: places.slice(others),
  }
}

const DESTINATIONS = {
  inbox: '',
  archive: 'Archive',
  trash: 'Trash',
  erased: 'erased',
} satisfies Record<NonNullable<ActionKind['movesTo']>, string>

/** Where the rule puts mail that is here already, in words; empty where it leaves it. */
export function destinationOf(draft: Draft): string {
  const folder = draft.folder.trim()
  if (folder) return folder.split('/').join(' / ')
  const roles = draft.more.map((action) => actionKind(action.do).movesTo)
  return roles.map((role) => (role ? DESTINATIONS[role] : '')).find(Boolean) ?? ''
}

const NAMED_VALUES = 2

function inWords(values: string[], called: Record<string, string>): string {
  const named = values
    .slice(0, NAMED_VALUES)
    .map((value) => called[value] ?? value)
    .join(' or ')
  return values.length > NAMED_VALUES ? `${named} …` : named
}

function conditionsIn(node: DraftNode): DraftCondition[] {
  if (node.negated || !says(node)) return []
  return node.kind === 'group' ? node.nodes.flatMap(conditionsIn) : [node]
}

/** A name that says what the rule is for: "Permit or licence, to moorings@…". */
export function proposedName(draft: Draft): string {
  const parts = conditionsIn(draft.when)
    .filter((listed) => !listed.kept)
    .map((condition) => {
      const values = inWords(valuesOf(condition), draft.called ?? {}).replaceAll('_', ' ')
      if (condition.aspect.startsWith('recipient')) return `to ${values}`
      return condition.aspect.startsWith('from') ? `from ${values}` : values
    })
  const words = parts.filter((part) => !/^(to|from) /.test(part))
  const people = parts.filter((part) => /^(to|from) /.test(part))
  const name = [words.filter(Boolean).join(', '), people.join(', ')].filter(Boolean).join(', ')
  if (!name) return draft.folder.split('/').at(-1)?.trim() ?? ''
  return name.charAt(0).toUpperCase() + name.slice(1)
}

export function nameOf(draft: Draft): string {
  return draft.named ? draft.name : proposedName(draft)
}

/** The rule that the draft says, ready to be saved; undefined while it has no condition. */
export function ruleOf(draft: Draft): Rule | undefined {
  const when = whenOf(draft)
  if (!when) return undefined
  return {
    name: nameOf(draft),
    enabled: draft.enabled,
    runs: draft.runs,
    accounts: draft.accounts,
    active: activeOf(draft),
    when,
    unless: unlessOf(draft) ?? null,
    then: thenOf(draft),
    stop: draft.stop,
  }
}
