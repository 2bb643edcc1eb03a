/** Rules that are proposed from what the owner does by hand, and what was turned away. */
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { useRouter } from 'vue-router'

import { api, content, type RuleProposal } from '@/api/client'

import { useActs } from './acts'
import { useWorkbench } from './workbench'

/** Mail that waits is looked into every two weeks. */
const LOOK_IN = 14

export const useProposals = defineStore('proposals', () => {
  const router = useRouter()
  const acts = useActs()
  const workbench = useWorkbench()
  const offered = shallowRef<readonly RuleProposal[]>([])
  const away = ref<ReadonlySet<string>>(new Set())
  const ready = ref(false)

  async function look(signal?: AbortSignal): Promise<void> {
    const asked = signal ? { signal } : {}
    offered.value = (await content(api.GET('/api/proposals', asked))).proposals
    ready.value = true
  }

  const all = computed(() => offered.value.filter((proposal) => !away.value.has(proposal.what)))

  /** Nothing is made of it without a look at its rehearsal. */
  async function open(proposal: RuleProposal): Promise<void> {
    const lookIn = proposal.why === 'waits' ? LOOK_IN : undefined
    workbench.startFromRule(proposal.rule, { lookIn })
    await router.push('/rules/new')
  }

  /** Not told again until there is twice the evidence. */
  async function turnAway(what: string, evidence: number): Promise<void> {
    away.value = new Set([...away.value, what])
    try {
      await content(api.POST('/api/turned-away', { body: { what, evidence } }))
    } catch (error) {
      away.value = new Set([...away.value].filter((key) => key !== what))
      acts.fail(error)
    }
  }

  return { all, away, ready, look, open, turnAway }
})
