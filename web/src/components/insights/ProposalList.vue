<script setup lang="ts">
/** Rules that are proposed, each with its evidence; none is made without a look at its rehearsal. */
import type { RuleProposal } from '@/api/client'
import { findAddress } from '@/mail/find-address'
import { useProposals } from '@/stores/proposals'

defineProps<{ proposals: readonly RuleProposal[] }>()
const store = useProposals()

/** The subject of what was left finds it among its like. */
function searchFor(proposal: RuleProposal): string {
  const subject = proposal.left?.subject?.replaceAll('"', ' ')
  return subject ? `subject:"${subject}"` : 'before:9999-12-31'
}
function said(proposal: RuleProposal): string {
  return proposal.sentence.map((phrase) => phrase.text).join('')
}
function count(number: number): string {
  return number.toLocaleString('en-GB')
}
</script>

<template>
  <ul>
    <li v-for="proposal in proposals" :key="proposal.what">
      <p class="sentence">
        <template v-for="(phrase, at) in proposal.sentence" :key="at"
          ><b v-if="phrase.strong">{{ phrase.text }}</b
          ><template v-else>{{ phrase.text }}</template></template
        >
      </p>
      <p>
        <mark>{{ count(proposal.did) }} of {{ count(proposal.of) }}</mark>
        <template v-if="proposal.why === 'waits'"> read within a day; the others wait.</template>
        <template v-else>
          by hand.
          <template v-if="proposal.left">
            Left:
            <RouterLink :to="findAddress(searchFor(proposal), proposal.left.id)">{{
              proposal.left.subject || 'a message without subject'
            }}</RouterLink>
          </template>
        </template>
      </p>
      <p class="acts thumb-row">
        <button
          class="text-button"
          type="button"
          :aria-label="`Look at it: ${said(proposal)}`"
          @click="store.open(proposal)"
        >
          Look at it
        </button>
        <span>takes {{ count(proposal.takes) }}</span>
        <button
          class="text-button"
          type="button"
          :aria-label="`Not this: ${said(proposal)}`"
          title="Not told again until there is twice the evidence"
          @click="store.turnAway(proposal.what, proposal.evidence)"
        >
          Not this
        </button>
      </p>
    </li>
  </ul>
</template>

<style scoped>
li {
  padding: 10px 0;
  border-bottom: 1px solid var(--line);
}

p {
  color: var(--ink-soft);
}

a {
  color: var(--spruce);
}

.sentence {
  margin-bottom: 4px;
  font: italic 16px/22px var(--type-mail);
  color: var(--ink);
}

mark {
  padding: 1px 6px;
  color: var(--marigold);
}

.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: center;
  margin-top: 6px;
}
</style>
