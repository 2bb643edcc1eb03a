<script setup lang="ts">
import { computed } from 'vue'

import type { RuleProposal } from '@/api/client'
import { useActs } from '@/stores/acts'
import { useProposals } from '@/stores/proposals'

const acts = useActs()
const proposals = useProposals()

const said = computed(() => {
  const now = acts.notice
  return [now?.saying, now?.offer?.saying].filter(Boolean).join('. ')
})
async function makeRule(proposal: RuleProposal): Promise<void> {
  acts.dismiss()
  await proposals.open(proposal)
}
</script>

<template>
  <div class="place" role="status">
    <!-- It waits for whoever is on the way to its button. -->
    <div
      v-if="acts.notice"
      class="notice"
      :class="{ failed: acts.notice.failed }"
      @focusin="acts.hold"
      @focusout="acts.release"
      @pointerenter="acts.hold"
      @pointerleave="acts.release"
    >
      <span class="one-line" :title="said">{{ said }}</span>
      <button
        v-if="acts.notice.runId !== undefined"
        class="text-button"
        type="button"
        :title="acts.notice.undid ? '' : 'Ctrl+Z'"
        @click="acts.undo(acts.notice.runId)"
      >
        {{ acts.notice.undid ? 'Do it again' : 'Undo' }}
      </button>
      <button
        v-if="acts.notice.offer"
        class="text-button"
        type="button"
        :title="acts.notice.offer.saying"
        @click="makeRule(acts.notice.offer.proposal)"
      >
        Make a rule?
      </button>
      <button class="text-button" type="button" aria-label="Close this note" @click="acts.dismiss">
        ×
      </button>
    </div>
  </div>
</template>

<style scoped>
.place {
  display: flex;
  justify-content: center;
}

/* In the bar: it covers nothing that is being worked on. */
.notice {
  display: flex;
  gap: 14px;
  align-items: center;
  max-width: 100%;
  padding: 5px 14px;
  border: 1px solid var(--spruce);
  border-radius: var(--radius);
  background: var(--sheet);
}

.notice .text-button {
  flex: none;
}

.notice.failed {
  border-color: var(--brick);
  color: var(--brick);
}
</style>
