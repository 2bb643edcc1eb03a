<script setup lang="ts">
/** What an empty new rule may begin with: proposals first, then a few usual rules. */
import { computed } from 'vue'

import { api, content, type Start } from '@/api/client'
import ProposalList from '@/components/insights/ProposalList.vue'
import { useAnswer } from '@/composables/useAnswer'
import { countSaying } from '@/rules/sayings'
import { useProposals } from '@/stores/proposals'
import { useWorkbench } from '@/stores/workbench'

const proposals = useProposals()
const workbench = useWorkbench()
useAnswer([], (signal) => proposals.look(signal))
const { answer } = useAnswer([], (signal) => content(api.GET('/api/starts', { signal })))
const starts = computed(() => answer.value?.starts ?? [])

function begin(start: Start): void {
  workbench.startFromRule(start.rule, { named: true, lookIn: start.look_in_days ?? undefined })
}
</script>

<template>
  <section class="starts" aria-label="To begin with">
    <template v-if="proposals.all.length">
      <h2>You do this by hand</h2>
      <ProposalList :proposals="proposals.all" />
    </template>
    <template v-if="starts.length">
      <h2>Usual rules, filled in from your mail</h2>
      <ul>
        <li v-for="start in starts" :key="start.title">
          <button class="text-button" type="button" @click="begin(start)">{{ start.title }}</button>
          <span v-if="start.takes">{{ countSaying(start.takes, 'message') }} here</span>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.starts {
  overflow-y: auto;
  min-height: 0;
  padding: 14px 16px 24px;
}

h2 {
  margin-top: 18px;
  padding-bottom: 6px;
  border-bottom: 1px solid var(--line);
  font-size: 13px;
  font-weight: 600;
  color: var(--ink-soft);
}

h2:first-child {
  margin-top: 0;
}

li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  justify-content: space-between;
  padding: 8px 0;
  border-bottom: 1px solid var(--line);
  color: var(--ink-soft);
}

.text-button {
  text-align: left;
}
</style>
