/** The rule being written. What is not saved stays, in other views and over a reload. */
import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'

import {
  api,
  content,
  RefusedError,
  type LineChange,
  type Rule,
  type StoredRule,
  type Test,
} from '@/api/client'
import { missingSaying } from '@/rules/actions'
import {
  draftOf,
  groupOf,
  newDraft,
  placesOf,
  revived,
  ruleOf,
  thenOf,
  thenPlaces,
  type Draft,
  type Pin,
} from '@/rules/draft'

import { isRefused } from '@/api/problems'

import { aboutSaying, complaintSaying, complaintsOf, isAt, type Complaint } from '@/text/complaints'

import { useMailbox } from './mailbox'

/** A draft that was not saved, and the saved rule that it began with. */
interface PutAway {
  draft: Draft
  saved: string
  /** The version of the rule that the draft began with. */
  version?: string | undefined
}

const NEW = 'new'
/** A new rule that was begun and left for another new one. */
const ASIDE = 'aside'

function ruleSaid(draft: Draft): string {
  return JSON.stringify([ruleOf(draft) ?? null, draft.pins])
}

/** How a proposed rule begins: whether its name was chosen, and how often to look into its folder. */
interface Beginning {
  named?: boolean
  lookIn?: number | undefined
}

function without(all: Record<string, PutAway>, key: string): Record<string, PutAway> {
  return Object.fromEntries(Object.entries(all).filter(([known]) => known !== key))
}

/** What a complaint is about, by the last part of its path. */
const NOUNS: Record<string, string> = {
  active: 'days',
  every: 'number of days',
  folder: 'folder',
  from: 'first day',
  label: 'label',
  name: 'name',
  subject: 'subject',
  text: 'text',
  to: 'address',
  until: 'last day',
  values: 'value',
}

/** The server names places in what it was sent: "rule.when.all[0]". */
function refused(error: RefusedError): Complaint[] {
  return complaintsOf(error).map(({ path, message }) => ({
    path: path.replace(/^rule\./, ''),
    message,
  }))
}

/** Complaints as sentences. */
export function inSentences(complaints: readonly Complaint[]): string {
  return complaints
    .map(({ path, message }) => {
      const part = /(\w+)(\[\d+\])?$/.exec(path)?.[1] ?? ''
      return complaintSaying(aboutSaying(NOUNS[part] ?? '', path), message)
    })
    .join(' ')
}

export const useWorkbench = defineStore('workbench', () => {
  const mailbox = useMailbox()
  const ruleId = ref<number>()
  const draft = ref<Draft>(newDraft())
  const saved = ref(ruleSaid(draft.value))
  const version = ref<string>()
  const complaints = ref<Complaint[]>([])
  const busy = ref(false)
  const putAway = useLocalStorage<Record<string, PutAway>>('mnemic.drafts', {})

  const key = computed(() => (ruleId.value === undefined ? NEW : String(ruleId.value)))
  const changed = computed(() => ruleSaid(draft.value) !== saved.value)

  function rest(): void {
    saved.value = ruleSaid(draft.value)
    complaints.value = []
  }

  watch(
    draft,
    () => {
      const others = without(putAway.value, key.value)
      putAway.value = changed.value
        ? {
            ...others,
            [key.value]: { draft: draft.value, saved: saved.value, version: version.value },
          }
        : others
    },
    { deep: true, flush: 'sync' },
  )

  /** Take up a draft that was put away, or begin with the rule as it is saved. */
  function begin(id: number | undefined, fresh: Draft, current?: string): void {
    const before = putAway.value[id === undefined ? NEW : String(id)]
    ruleId.value = id
    complaints.value = []
    saved.value = ruleSaid(fresh)
    version.value = before?.version ?? current
    draft.value = before ? revived(before.draft) : fresh
  }

  function open(stored: StoredRule): void {
    if (ruleId.value === stored.id) return
    begin(stored.id, draftOf(stored.rule, stored.pins), stored.version)
  }

  /** The new rule: the one that was begun and not saved, if there is one. */
  function startNew(): void {
    begin(undefined, newDraft())
  }

  /** A new rule with these conditions: from a message's facts, or from a search. */
  function startFrom(when: Test, unless?: Test | null, called: Record<string, string> = {}): void {
    const begun = putAway.value[NEW]
    if (begun) putAway.value = { ...putAway.value, [ASIDE]: begun }
    ruleId.value = undefined
    saved.value = ruleSaid(newDraft())
    complaints.value = []
    draft.value = {
      ...newDraft(),
      when: groupOf(when),
      unless: unless ? groupOf(unless) : undefined,
      called,
    }
  }

  /** A new rule that was proposed: nothing of it is saved yet. */
  function startFromRule(rule: Rule, { named = false, lookIn }: Beginning = {}): void {
    startFrom(rule.when, rule.unless)
    draft.value = { ...draftOf(rule), named, ...(lookIn ? { lookIn } : {}) }
  }

  /** The folder that a new rule files in is looked into as often as was proposed. */
  async function setLookIn(folder: string, days: number): Promise<void> {
    const like = folder.toLowerCase()
    const existing = mailbox.folders.find((candidate) => candidate.path.toLowerCase() === like)
    if (!existing || existing.look_in_days !== null) return
    const params = { path: { id: existing.id } }
    await content(api.PUT('/api/folders/{id}/look-in', { params, body: { days } }))
    await mailbox.refresh()
  }

  const aside = computed(() => putAway.value[ASIDE] !== undefined)

  /** Take up the new rule that was left for this one; this one is left for it. */
  function takeAside(): void {
    const { [ASIDE]: begun, [NEW]: now, ...others } = putAway.value
    if (!begun) return
    putAway.value = { ...others, [NEW]: begun, ...(now ? { [ASIDE]: now } : {}) }
    begin(undefined, newDraft())
  }

  /** Go back to the rule as it is saved. */
  function discard(): void {
    const stored = mailbox.rules.find((rule) => rule.id === ruleId.value)
    version.value = stored?.version
    draft.value = stored ? draftOf(stored.rule, stored.pins) : newDraft()
    rest()
  }

  /** Bring an earlier version into the draft; it is not saved yet. */
  function bringBack(rule: Rule): void {
    draft.value = draftOf(rule, draft.value.pins)
  }

  function missing(): Complaint[] {
    const missing: Complaint[] = []
    if (!ruleOf(draft.value)) {
      missing.push({ path: 'when', message: 'Say which mail: fill in at least one condition.' })
    }
    if (thenOf(draft.value).length === 0) {
      missing.push({ path: 'then', message: 'Say what happens: choose a folder or a label.' })
    }
    const actions = thenPlaces(draft.value).more
    draft.value.more.forEach((action, at) => {
      const message = missingSaying(action)
      if (message) missing.push({ path: actions[at] ?? 'then', message })
    })
    if (draft.value.runs.length === 0) {
      missing.push({ path: 'runs', message: 'Say when it runs: choose at least one.' })
    }
    return missing
  }

  async function send(rule: Rule, pins: Pin[], anyway: boolean): Promise<LineChange> {
    const body = { rule, pins, anyway }
    if (ruleId.value === undefined) return content(api.POST('/api/rules', { body }))
    const path = { rule_id: ruleId.value }
    const headers = version.value ? { 'If-Match': `"${version.value}"` } : {}
    return content(api.PUT('/api/rules/{rule_id}', { params: { path }, body, headers }))
  }

  /**
   * Save the draft; what was done, or undefined with complaints. `ask` is asked where examples
   * of rules would break.
   */
  async function save(
    ask: (broken: Complaint[]) => Promise<boolean>,
  ): Promise<LineChange | undefined> {
    complaints.value = missing()
    const rule = ruleOf(draft.value)
    if (complaints.value.length > 0 || !rule) return undefined
    busy.value = true
    const { folder, lookIn } = draft.value
    const looks = lookIn && folder ? { folder, days: lookIn } : undefined
    try {
      const done = await asked(ask, (anyway) => send(rule, draft.value.pins, anyway))
      const stored = done?.rules[0]
      if (!done || !stored) return undefined
      putAway.value = without(putAway.value, key.value)
      ruleId.value = undefined // take up what the server made of it
      open(stored)
      await mailbox.refresh()
      if (looks) await setLookIn(looks.folder, looks.days)
      return done
    } catch (error) {
      if (!(error instanceof RefusedError)) throw error
      if (isRefused(error, 'changedMeanwhile')) await takeNotice(error)
      else complaints.value = refused(error)
      return undefined
    } finally {
      busy.value = false
    }
  }

  /** The rule is another one than the draft began with: say what changed; the next save is over it. */
  async function takeNotice(error: RefusedError): Promise<void> {
    await mailbox.refresh()
    version.value = mailbox.rules.find((rule) => rule.id === ruleId.value)?.version
    const message = `${error.problem.detail} Save again to put yours in its place, or discard your changes to take it.`
    complaints.value = [{ path: '', message }]
  }

  /** Try it; where examples break, ask, and do it anyway if so told. */
  async function asked(
    ask: (broken: Complaint[]) => Promise<boolean>,
    work: (anyway: boolean) => Promise<LineChange>,
  ): Promise<LineChange | undefined> {
    try {
      return await work(false)
    } catch (error) {
      if (!isRefused(error, 'examplesBreak')) throw error
      return (await ask(refused(error))) ? work(true) : undefined
    }
  }

  /** A saved rule was changed by something else than this draft: follow it where nothing is lost. */
  function follow(): void {
    if (ruleId.value === undefined) return
    const stored = mailbox.rules.find((rule) => rule.id === ruleId.value)
    if (!stored) return
    const now = draftOf(stored.rule, stored.pins)
    if (ruleSaid(now) === saved.value) return
    const before = changed.value
    saved.value = ruleSaid(now)
    if (before) draft.value.enabled = now.enabled
    else {
      draft.value = now
      version.value = stored.version
    }
  }
  watch(() => mailbox.rules, follow)

  function pin(message: number, wanted: boolean | undefined): void {
    const others = draft.value.pins.filter((kept) => kept.message_id !== message)
    draft.value.pins = wanted === undefined ? others : [...others, { message_id: message, wanted }]
  }

  function complaintsAt(place: string): Complaint[] {
    return complaints.value.filter((complaint) => isAt(complaint, place))
  }

  /** What is wrong at some places, in sentences. */
  function saidAt(...places: string[]): string {
    return inSentences(places.flatMap(complaintsAt))
  }

  const places = computed(() => placesOf(draft.value))

  /** The complaints about one condition or bracket itself, not about what is inside it. */
  function complaintsOn(node: number): Complaint[] {
    const place = places.value.get(node)
    if (place === undefined) return []
    const inside = [...places.value.values()].filter(
      (other) => other.length > place.length && other.startsWith(place),
    )
    return complaintsAt(place).filter(
      (complaint) => !inside.some((inner) => complaint.path.startsWith(inner)),
    )
  }

  /** What is wrong with one condition or bracket, in sentences. */
  function saidOn(node: number): string {
    return inSentences(complaintsOn(node))
  }

  /** Whether a rule (or the new one) has changes that were not saved. */
  function unsaved(id: number): boolean {
    return String(id) in putAway.value
  }

  return {
    ruleId,
    draft,
    changed,
    complaints,
    busy,
    places,
    open,
    startNew,
    startFrom,
    startFromRule,
    aside,
    takeAside,
    discard,
    bringBack,
    save,
    asked,
    pin,
    complaintsAt,
    complaintsOn,
    saidAt,
    saidOn,
    unsaved,
  }
})
