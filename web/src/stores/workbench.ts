/** The rule being written. It stays as it is while its writer looks at other views. */
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'

import { api, content, RefusedError, type CatchUp, type StoredRule, type Test } from '@/api/client'
import { draftOf, groupOf, newDraft, placesOf, ruleOf, thenOf, type Draft } from '@/rules/draft'

import { useMailbox } from './mailbox'

/** What keeps the draft from being saved, at the place it is about. */
export interface Complaint {
  path: string
  message: string
}

export const useWorkbench = defineStore('workbench', () => {
  const mailbox = useMailbox()
  const ruleId = ref<number>()
  const draft = ref<Draft>(newDraft())
  const saved = ref('')
  const complaints = ref<Complaint[]>([])
  const busy = ref(false)

  function rest(): void {
    saved.value = JSON.stringify(ruleOf(draft.value) ?? null)
    complaints.value = []
  }

  const changed = computed(() => JSON.stringify(ruleOf(draft.value) ?? null) !== saved.value)

  function open(stored: StoredRule): void {
    if (ruleId.value === stored.id) return
    ruleId.value = stored.id
    draft.value = draftOf(stored.rule)
    rest()
  }

  function startNew(): void {
    ruleId.value = undefined
    draft.value = newDraft()
    rest()
  }

  /** A new rule with these conditions: from a message's facts, or from a search. */
  function startFrom(when: Test): void {
    startNew()
    draft.value = { ...draft.value, when: groupOf(when) }
  }

  function missing(): Complaint[] {
    const found: Complaint[] = []
    if (!ruleOf(draft.value)) {
      found.push({ path: 'when', message: 'Say which mail: fill in at least one condition.' })
    }
    if (thenOf(draft.value).length === 0) {
      found.push({ path: 'then', message: 'Say what happens: choose a folder or a label.' })
    }
    if (draft.value.runs.length === 0) {
      found.push({ path: 'runs', message: 'Say when it runs: choose at least one.' })
    }
    return found
  }

  /** Save the draft; the rule as it was saved, or undefined with complaints. */
  async function save(): Promise<StoredRule | undefined> {
    complaints.value = missing()
    const body = ruleOf(draft.value)
    if (complaints.value.length > 0 || !body) return undefined
    busy.value = true
    try {
      const stored = await content(
        ruleId.value === undefined
          ? api.POST('/api/rules', { body })
          : api.PUT('/api/rules/{rule_id}', {
              params: { path: { rule_id: ruleId.value } },
              body,
            }),
      )
      ruleId.value = undefined // take up what the server made of it
      open(stored)
      await mailbox.refresh()
      return stored
    } catch (error) {
      if (!(error instanceof RefusedError)) throw error
      const { errors, detail } = error.problem
      complaints.value = errors.length > 0 ? errors : [{ path: '', message: detail }]
      return undefined
    } finally {
      busy.value = false
    }
  }

  async function catchUp(id: number): Promise<CatchUp> {
    busy.value = true
    try {
      const path = { rule_id: id }
      const done = await content(api.POST('/api/rules/{rule_id}/catch-up', { params: { path } }))
      await mailbox.refresh()
      return done
    } finally {
      busy.value = false
    }
  }

  /** Switch a saved rule on or off, leaving unsaved changes of the draft alone. */
  async function switchRule(stored: StoredRule, enabled: boolean): Promise<void> {
    const body = { ...stored.rule, enabled }
    const params = { path: { rule_id: stored.id } }
    await content(api.PUT('/api/rules/{rule_id}', { params, body }))
    if (ruleId.value === stored.id) {
      const before = changed.value
      draft.value.enabled = enabled
      if (!before) rest()
    }
    await mailbox.refresh()
  }

  async function remove(id: number): Promise<void> {
    await content(api.DELETE('/api/rules/{rule_id}', { params: { path: { rule_id: id } } }))
    startNew()
    await mailbox.refresh()
  }

  async function reorder(ids: number[]): Promise<void> {
    try {
      await content(api.PUT('/api/rules/order', { body: { ids } }))
    } finally {
      await mailbox.refresh()
    }
  }

  function complaintsAt(path: string): Complaint[] {
    return complaints.value.filter((each) => each.path.startsWith(path))
  }

  const places = computed(() => placesOf(draft.value))

  /** The complaints about one condition or bracket itself, not about what is inside it. */
  function complaintsOn(node: number): Complaint[] {
    const place = places.value.get(node)
    if (place === undefined) return []
    const inside = [...places.value.values()].filter(
      (each) => each.length > place.length && each.startsWith(place),
    )
    return complaintsAt(place).filter(
      (each) => !inside.some((inner) => each.path.startsWith(inner)),
    )
  }

  return {
    ruleId,
    draft,
    changed,
    complaints,
    busy,
    open,
    startNew,
    startFrom,
    save,
    catchUp,
    switchRule,
    remove,
    reorder,
    complaintsAt,
    complaintsOn,
  }
})
