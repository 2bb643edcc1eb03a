<script setup lang="ts">
import { computed, ref } from 'vue'

import { api, content, type WhatIf } from '@/api/client'
import EvidenceText from '@/components/rules/EvidenceText.vue'
import { useAnswer } from '@/composables/useAnswer'
import { useMailbox } from '@/stores/mailbox'

const props = defineProps<{ id: number }>()
const mailbox = useMailbox()

const { answer: outcome, failure } = useAnswer([() => props.id, () => mailbox.rules], (signal) => {
  const params = { path: { message_id: props.id } }
  return content(api.GET('/api/messages/{message_id}/what-if', { params, signal }))
})
/** The rule whose conditions are shown one by one. */
const open = ref<number>()

function verdict(rule: WhatIf['tried'][number]): string {
  if (!rule.took) {
    if (rule.away === null) return 'leaves it'
    return rule.away === 1
      ? 'leaves it: one condition fails'
      : `leaves it: ${rule.away} conditions fail`
  }
  return `takes it: ${rule.done.join(', ') || 'with no effect'}`
}

const took = computed(() => outcome.value?.tried.filter((rule) => rule.took) ?? [])
const rest = computed(() => (outcome.value?.tried.length ?? 0) - took.value.length)
const all = ref(false)
/** Those that miss it by the fewest conditions come first. */
const missed = computed(() =>
  (outcome.value?.tried ?? [])
    .filter((rule) => !rule.took)
    .sort((a, b) => (a.away ?? Infinity) - (b.away ?? Infinity)),
)
const shown = computed(() => (all.value ? [...took.value, ...missed.value] : took.value))
</script>

<template>
  <section class="what-if" aria-label="If it came in now">
    <p v-if="failure" role="alert">{{ failure }}</p>
    <template v-else-if="outcome">
      <p>
        <b>If it came in now</b>, it {{ outcome.place
        }}<template v-if="outcome.stopped_by">; “{{ outcome.stopped_by }}” stops there</template>.
        <template v-if="!took.length">No rule would take it. </template>
        <button v-if="rest" class="text-button" type="button" @click="all = !all">
          {{ all ? 'Only those that take it' : `Why not the other ${rest}?` }}
        </button>
      </p>
      <ul>
        <li v-for="rule in shown" :key="rule.rule_id">
          <button
            class="text-button"
            type="button"
            :aria-expanded="open === rule.rule_id"
            @click="open = open === rule.rule_id ? undefined : rule.rule_id"
          >
            {{ rule.name }}
          </button>
          {{ verdict(rule) }}
          <template v-if="rule.not_done.length"> ({{ rule.not_done.join('; ') }})</template>
          <ul v-if="open === rule.rule_id" class="tests">
            <li
              v-for="(test, index) in rule.tests"
              :key="index"
              :style="{ paddingLeft: `${test.depth * 14}px` }"
            >
              <span class="held" :class="{ not: !test.held }">{{
                test.held ? '✓ holds' : '✗ does not'
              }}</span>
              <template v-if="test.part === 'unless' && test.depth === 0">unless: </template
              >{{ test.saying }}
              <template v-if="test.evidence"> · <EvidenceText :piece="test.evidence" /></template>
            </li>
          </ul>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.what-if {
  margin-top: 8px;
  padding-top: 8px;
  border-top: 1px solid var(--line-soft);
}

.tests {
  margin: 2px 0 6px 8px;
  font-size: 13px;
  color: var(--ink-soft);
}

.held {
  display: inline-block;
  min-width: 76px;
  color: var(--spruce);
  font-weight: 600;
}

.held.not {
  color: var(--brick);
}
</style>
