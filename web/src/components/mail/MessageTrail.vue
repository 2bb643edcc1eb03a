<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import type { OpenMessage, TrailEntry } from '@/api/client'
import EvidenceText from '@/components/rules/EvidenceText.vue'
import { momentSaying, spokenPath } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

import WhatIfPart from './WhatIfPart.vue'

const props = defineProps<{ message: OpenMessage }>()
const acts = useActs()
const mailbox = useMailbox()
const open = ref(false)

watch(
  () => props.message.id,
  () => {
    open.value = false
  },
)

function when(at: string): string {
  return momentSaying(new Date(at), new Date())
}

const FIELDS: Record<string, string> = {
  from: 'sender',
  to: 'to',
  cc: 'cc',
  bcc: 'bcc',
  subject: 'subject',
  body: 'text',
  envelope: 'delivered to',
  delivered_to: 'delivered to',
  x_original_to: 'delivered to',
}

interface Step {
  at: string
  saying: string
  rule?: TrailEntry
  by_person?: boolean
  minor?: boolean
}

/** How a rule came to act, where that was not the mail's coming in. */
const EVENTS: Record<string, string> = { hand: ', in a catch-up', daily: ', once a day' }

function did(entry: TrailEntry): string {
  if (entry.event === 'watched') {
    return `Would have been ${entry.done.join(', ') || 'taken'}`
  }
  const nothing = entry.event === 'server' ? 'Nothing was done' : 'Taken'
  const saying = entry.done.join(', ') || nothing
  return saying.charAt(0).toUpperCase() + saying.slice(1)
}

/** What the trail says before a rule's name, and after it. */
function lead(entry: TrailEntry): string {
  return entry.event === 'server' ? ' by the server, as' : ' by'
}
function after(entry: TrailEntry): string {
  return entry.event === 'server' ? ' says' : (EVENTS[entry.event] ?? '')
}

/** Where no rule puts a message that the server sorted, that alone is told. */
function stepOf(entry: TrailEntry): Step {
  if (entry.rule_name) return { at: entry.at, rule: entry, saying: did(entry) }
  const place = spokenPath(entry.folder ?? '')
  return { at: entry.at, saying: `Found in ${place} on the server, where no rule puts it` }
}

const steps = computed<Step[]>(() =>
  [
    // Of what happened within a second, a message is received first, then sorted, then handled.
    ...props.message.steps.slice(0, 1),
    ...props.message.trail.map(stepOf),
    ...props.message.steps.slice(1),
  ].sort((a, b) => a.at.localeCompare(b.at)),
)
/** Put back is offered while the last rule's work stands. */
const canPutBack = computed(
  () => !!props.message.reason?.rule_name && props.message.trail.length > 0,
)
/** What is told while the trail is closed: that it was received, or read, is not news. */
const last = computed(() => steps.value.findLast((step) => !step.minor))

async function putBack(): Promise<void> {
  const which = { ids: [props.message.id], leave_out: [] }
  await acts.act(which, { plain: { do: 'put_back' } })
}

function isThere(rule: number | null): boolean {
  return mailbox.rules.some((stored) => stored.id === rule)
}

function toggle(): void {
  open.value = !open.value
}
defineExpose({ toggle })
</script>

<template>
  <div class="trail" aria-label="Trail" role="group">
    <div class="commands thumb-row">
      <button class="text-button" type="button" title="W" :aria-expanded="open" @click="toggle">
        Why
      </button>
      <button v-if="canPutBack" class="text-button" type="button" @click="putBack">Put back</button>
    </div>
    <p v-if="!last && !open">
      In {{ spokenPath(message.folder) }}. No rule has touched this message.
    </p>
    <template v-for="(step, index) in steps" :key="index">
      <p v-if="open || step === last">
        {{ step.saying
        }}<template v-if="step.rule">
          {{ lead(step.rule) }}
          <RouterLink v-if="isThere(step.rule.rule_id)" :to="`/rules/${step.rule.rule_id}`">{{
            step.rule.rule_name
          }}</RouterLink>
          <template v-else>{{ step.rule.rule_name }} (deleted since)</template
          >{{ after(step.rule) }}</template
        ><template v-else-if="step.by_person"> by you</template>, {{ when(step.at) }}
        <span v-if="open && step.rule" class="evidence">
          <EvidenceText
            v-for="(piece, at) in step.rule.evidence"
            :key="at"
            :piece="piece"
            :lead="FIELDS[piece.field] ?? piece.field"
          />
          <span v-for="saying in step.rule.not_done" :key="saying">{{ saying }}</span>
        </span>
      </p>
    </template>
    <WhatIfPart v-if="open" :id="message.id" />
  </div>
</template>

<style scoped>
.trail {
  padding: 9px 28px;
  background: var(--sheet-soft);
  border: solid var(--line);
  border-width: 1px 0;
}

.commands {
  float: right;
  display: flex;
  gap: 16px;
  margin-left: 16px;
}

.trail a {
  color: var(--spruce);
  font-weight: 600;
}

.evidence {
  display: grid;
  color: var(--ink-soft);
}

@media (max-width: 699px) {
  .trail {
    padding-inline: 14px;
  }
}
</style>
