<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Evidence, Message, Rehearsal } from '@/api/client'
import { countSaying, daySaying, spokenPath } from '@/rules/sayings'

import EvidenceText from './EvidenceText.vue'

const props = defineProps<{
  rehearsal: Rehearsal | undefined
  failure: string
  running: boolean
  bracket: 'all' | 'any'
  folder: string
}>()

const narrow = computed(
  () => props.bracket === 'all' && (props.rehearsal?.takes_each.length ?? 0) > 1,
)
const otherBracket = computed(() => (props.bracket === 'all' ? 'any' : 'all'))

/** Mail that the rule misses by one condition, in place of what it takes. */
const showsNearly = ref(false)
const nearly = computed(() => showsNearly.value && (props.rehearsal?.nearly ?? 0) > 0)
const shown = computed<{ message: Message; evidence: Evidence[]; missing?: string }[]>(() =>
  nearly.value ? (props.rehearsal?.nearly_messages ?? []) : (props.rehearsal?.messages ?? []),
)
const all = computed(() => (nearly.value ? props.rehearsal?.nearly : props.rehearsal?.takes) ?? 0)

/** Where the message is, and where the rule would put it. */
function journey(message: Message): string {
  const from = spokenPath(message.folder)
  if (!props.folder) return `in ${from}`
  const to = spokenPath(props.folder)
  return from.toLowerCase() === to.toLowerCase() ? `already in ${to}` : `${from} → ${to}`
}

function inSubject(message: Message, evidence: readonly Evidence[]): Evidence | undefined {
  return evidence.find((piece) => piece.field === 'subject' && piece.value === message.subject)
}

function elsewhere(message: Message, evidence: readonly Evidence[]): Evidence[] {
  const shown = inSubject(message, evidence)
  return evidence.filter((piece) => piece !== shown)
}

const LEADS: Record<string, string> = { from: 'from', cc: 'cc', to: 'to', envelope: 'to' }
</script>

<template>
  <section class="rehearsal" aria-label="Rehearsal" :aria-busy="running">
    <h2>
      Rehearsal<template v-if="rehearsal"
        >, on {{ countSaying(rehearsal.examined, 'message') }} already here</template
      >
    </h2>
    <p v-if="failure" class="hint" role="alert">{{ failure }}</p>
    <p v-else-if="!rehearsal && running" class="hint">Trying it on the mail already here…</p>
    <p v-else-if="!rehearsal" class="hint">
      Fill in a condition, and what it takes of the mail already here shows at once. Nothing happens
      before you say so.
    </p>
    <template v-else>
      <dl class="counts">
        <div class="takes">
          <dt>takes</dt>
          <dd data-testid="takes">{{ rehearsal.takes.toLocaleString('en-GB') }}</dd>
        </div>
        <div>
          <dt>
            <button
              v-if="rehearsal.nearly"
              class="text-button"
              type="button"
              :aria-pressed="showsNearly"
              @click="showsNearly = !showsNearly"
            >
              {{ showsNearly ? 'back to taken' : 'nearly' }}
            </button>
            <template v-else>nearly</template>
          </dt>
          <dd data-testid="nearly">{{ rehearsal.nearly.toLocaleString('en-GB') }}</dd>
        </div>
        <div v-if="rehearsal.takes_otherwise !== null" class="otherwise">
          <dt>
            if <b>{{ otherBracket }}</b> instead of <b>{{ bracket }}</b>
          </dt>
          <dd>{{ rehearsal.takes_otherwise?.toLocaleString('en-GB') }}</dd>
        </div>
      </dl>
      <ul v-if="rehearsal.risks.length" class="risks" aria-label="Look twice">
        <li v-for="risk in rehearsal.risks" :key="risk">{{ risk }}</li>
      </ul>
      <p v-if="rehearsal.earlier.length" class="hint">
        Rules above get there first:
        <template v-for="(each, index) in rehearsal.earlier" :key="each.rule_id"
          >{{ index ? ', ' : ''
          }}<RouterLink :to="`/rules/${each.rule_id}`">{{ each.name }}</RouterLink>
          {{ each.messages.toLocaleString('en-GB') }}</template
        >.
      </p>
      <p v-if="rehearsal.settled > 0" class="hint">
        {{
          rehearsal.settled === rehearsal.takes
            ? 'All of them are where the rule puts them.'
            : `${countSaying(rehearsal.settled, 'of them is', 'of them are')} where the rule puts them already.`
        }}
      </p>
      <p v-if="rehearsal.takes === 0" class="hint">
        The rule takes none of the mail already here.
        {{ narrow ? 'The counts beside the conditions show which one is too narrow.' : '' }}
      </p>
      <ol>
        <li v-for="{ message, evidence, missing } in shown" :key="message.id">
          <RouterLink :to="`/mail/folder/${message.folder_id}/${message.id}`" class="row">
            <span class="sender one-line">{{
              message.sender_name || message.sender_address || 'No sender'
            }}</span>
            <span class="journey one-line">{{ journey(message) }}</span>
            <span class="subject one-line">
              <EvidenceText
                v-if="inSubject(message, evidence)"
                :piece="inSubject(message, evidence)!"
              />
              <template v-else>{{ message.subject || 'No subject' }}</template>
            </span>
            <span class="because one-line">
              <b v-if="missing" class="missing">{{ missing }} · </b>
              <template v-for="(piece, index) in elsewhere(message, evidence)" :key="index">
                <EvidenceText :piece="piece" :lead="LEADS[piece.field] ?? ''" /> ·
              </template>
              {{ daySaying(new Date(message.received), new Date()) }}
            </span>
          </RouterLink>
        </li>
      </ol>
      <p v-if="all > shown.length" class="hint">The newest {{ shown.length }} are shown.</p>
    </template>
  </section>
</template>

<style scoped>
.rehearsal {
  overflow-y: auto;
  padding-top: 14px;
}

h2 {
  padding: 0 16px 8px;
  font-size: 13px;
  font-weight: 600;
  color: var(--ink-soft);
}

.counts {
  display: flex;
  margin: 0 16px 10px;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: var(--radius);
}

.counts > div {
  display: flex;
  flex-direction: column-reverse;
  flex: 1;
  padding: 6px 14px;
}

.counts > .takes {
  flex: 1;
}

.counts > div + div {
  border-left: 1px solid var(--line);
}

.counts > .otherwise {
  flex: 1.8;
  white-space: nowrap;
}

.takes {
  box-shadow: inset 0 -3px 0 var(--spruce);
}

dt {
  color: var(--ink-soft);
}

dd {
  font: 500 24px/30px var(--type-mail);
}

.row {
  display: grid;
  grid-template-columns: auto minmax(80px, 1fr);
  gap: 0 12px;
  padding: 9px 16px;
  border-top: 1px solid var(--line);
  color: var(--ink);
  text-decoration: none;
}

.row:hover {
  background: var(--sheet-soft);
}

.row:focus-visible {
  outline-offset: -2px;
}

.sender {
  font-weight: 600;
  max-width: 200px;
}

.journey {
  color: var(--ink-soft);
  font-size: 13px;
  text-align: right;
}

.subject {
  grid-column: 1 / -1;
  font: 16px/21px var(--type-mail);
}

.because {
  grid-column: 1 / -1;
  color: var(--ink-soft);
  font-size: 13px;
}

.risks {
  margin: 0 16px 8px;
  padding: 6px 12px;
  border-left: 3px solid var(--marigold);
  background: var(--marigold-wash);
}

.missing {
  color: var(--marigold);
  font-weight: 600;
}

.hint a {
  color: var(--spruce);
  font-weight: 600;
}

.hint {
  padding: 4px 16px 12px;
  color: var(--ink-soft);
}
</style>
