<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'

import type { Evidence, Finding, Rehearsal, RehearsedMail } from '@/api/client'
import { useNarrow, useWide } from '@/composables/useRoom'
import { countSaying, daySaying, foundSaying, spokenPath } from '@/rules/sayings'
import { useLine } from '@/stores/line'
import { useWorkbench } from '@/stores/workbench'

import EvidenceText from './EvidenceText.vue'
import OrderNotes from './OrderNotes.vue'
import RehearsalCounts from './RehearsalCounts.vue'
import TriedMessage from './TriedMessage.vue'

const props = defineProps<{
  rehearsal: Rehearsal | undefined
  failure: string
  running: boolean
  bracket: 'all' | 'any'
  /** Where the rule puts mail that is here already, in words; empty where it leaves it. */
  goes: string
  /** Whether it does anything yet. */
  acts: boolean
  findings: readonly Finding[]
}>()
const workbench = useWorkbench()
const line = useLine()

const several = computed(() => props.rehearsal?.takes_otherwise !== null)

function count(messages: number): string {
  return foundSaying(messages, props.rehearsal?.whole !== false)
}

/** Mail that the rule misses by one condition, in place of what it takes. */
const shows = ref<'takes' | 'nearly'>('takes')
const nearly = computed(() => shows.value === 'nearly' && (props.rehearsal?.nearly ?? 0) > 0)
interface Shown {
  message: RehearsedMail
  evidence: Evidence[]
  /** Why a catch-up leaves it where it is. */
  stays: string
  missing?: string
}
const shown = computed<Shown[]>(() =>
  nearly.value ? (props.rehearsal?.nearly_messages ?? []) : (props.rehearsal?.messages ?? []),
)
const all = computed(() => (nearly.value ? props.rehearsal?.nearly : props.rehearsal?.takes) ?? 0)

/** A message opened beside the rule. */
const wide = useWide()
const narrow = useNarrow() // its title is that of the sheet
const opened = ref<number>()
watch(
  () => workbench.ruleId,
  () => {
    opened.value = undefined
    shows.value = 'takes'
  },
)

/** Back to the list, and to the row that it was opened from. */
async function close(): Promise<void> {
  const id = opened.value
  opened.value = undefined
  await nextTick()
  document.querySelector<HTMLElement>(`[data-rehearsed="${id ?? ''}"]`)?.focus()
}

/** Where the message is, and where a catch-up would put it. */
function journey({ message, stays }: Shown): string {
  const from = spokenPath(message.folder)
  if (stays) return `in ${message.folder.split('/').at(-1) ?? from}, ${stays}`
  if (!props.goes) return `stays in ${from}`
  return from.toLowerCase() === props.goes.toLowerCase()
    ? `already in ${from}`
    : `${from} → ${props.goes}`
}

function inSubject(message: RehearsedMail, evidence: readonly Evidence[]): Evidence | undefined {
  return evidence.find((piece) => piece.field === 'subject' && piece.value === message.subject)
}

function elsewhere(message: RehearsedMail, evidence: readonly Evidence[]): Evidence[] {
  return evidence.filter((piece) => piece !== inSubject(message, evidence))
}

const somewhere = computed(() => {
  const all = props.rehearsal?.elsewhere ?? []
  const [largest, rest] = [all.slice(0, 3), all.slice(3)]
  const said = largest.map((place) => `${count(place.messages)} in ${spokenPath(place.folder)}`)
  const others = rest.reduce((sum, place) => sum + place.messages, 0)
  return [...said, ...(others ? [`${count(others)} in other folders`] : [])].join(', ')
})

/** What the order check says already is not said twice. */
const earlier = computed(() => {
  const inFindings = new Set(props.findings.flatMap((finding) => finding.by))
  return (props.rehearsal?.earlier ?? []).filter((rule) => !inFindings.has(rule.rule_id))
})
function earlierSaying(earlierRule: Rehearsal['earlier'][number]): string {
  const these =
    earlierRule.messages === props.rehearsal?.takes ? 'all' : count(earlierRule.messages)
  const stops = earlierRule.stops ? ' and stops' : ''
  return `, above, takes ${these} of them first${stops}: left to it in a catch-up.`
}

function pinned(message: number): string {
  const pin = workbench.draft.pins.find((kept) => kept.message_id === message)
  if (!pin) return ''
  return pin.wanted ? 'must be taken' : 'must not be taken'
}
const broken = computed(() => (props.rehearsal?.examples ?? []).filter((example) => example.wrong))
const kept = computed(() => (props.rehearsal?.examples ?? []).filter((example) => !example.wrong))

const LEADS: Record<string, string> = { from: 'from', cc: 'cc', to: 'to', envelope: 'to' }
</script>

<template>
  <div class="pane" :class="{ both: wide && opened !== undefined }">
    <section
      v-if="wide || opened === undefined"
      class="rehearsal"
      aria-label="Rehearsal"
      :aria-busy="running"
    >
      <h2>
        {{ narrow ? 'Tried' : 'Rehearsal'
        }}<template v-if="rehearsal"
          >{{ narrow ? ' on' : ', on' }} {{ countSaying(rehearsal.examined, 'message') }} already
          here{{ rehearsal.whole ? '' : '; counting on' }}</template
        >
      </h2>
      <OrderNotes :findings="findings" />
      <p v-if="failure" class="hint" role="alert">{{ failure }}</p>
      <p v-else-if="!rehearsal && running" class="hint">Trying it on the mail already here…</p>
      <p v-else-if="!rehearsal" class="hint">
        Fill in a condition, and what it takes of the mail already here shows at once. Nothing
        happens before you say so.
      </p>
      <template v-else>
        <RehearsalCounts v-model="shows" :rehearsal="rehearsal" :bracket="bracket" />
        <ul v-if="broken.length" class="notes broken" aria-label="Examples that are broken">
          <li v-for="example in broken" :key="example.message.id">
            <button class="text-button example" type="button" @click="opened = example.message.id">
              “{{ example.message.subject || 'No subject' }}”
            </button>
            {{ example.wanted ? 'must be taken, but' : 'must not be taken, but' }}
            {{ example.wrong }}.
          </li>
        </ul>
        <ul v-if="earlier.length" class="notes" aria-label="Rules above">
          <li v-for="earlierRule in earlier" :key="earlierRule.rule_id">
            <RouterLink :to="`/rules/${earlierRule.rule_id}`">{{ earlierRule.name }}</RouterLink>{{
              earlierSaying(earlierRule)
            }}
            <button
              v-if="workbench.ruleId !== undefined"
              class="text-button"
              type="button"
              @click="line.moveAbove(workbench.ruleId, earlierRule.rule_id)"
            >
              Move this rule above it
            </button>
          </li>
        </ul>
        <ul v-if="rehearsal.risks.length" class="notes risks" aria-label="Look twice">
          <li v-for="risk in rehearsal.risks" :key="risk">{{ risk }}.</li>
        </ul>
        <p v-if="rehearsal.takes === 0" class="hint">
          The rule takes none of the mail already here.
          {{
            several && bracket === 'all'
              ? 'The counts beside the conditions show which one is too narrow.'
              : ''
          }}
        </p>
        <p v-else-if="!acts" class="hint">
          It does nothing yet: say below <i>Then</i> what happens.
        </p>
        <p v-else-if="rehearsal.settled === rehearsal.takes" class="hint">
          All of them are already as the rule would have them.
        </p>
        <p v-else-if="somewhere" class="hint">Not in the inbox any more: {{ somewhere }}.</p>
        <p v-if="rehearsal.respected" class="hint">
          {{ countSaying(rehearsal.respected, 'message') }} you changed after the rule acted; a
          catch-up leaves {{ rehearsal.respected === 1 ? 'it' : 'them' }} alone.
        </p>
        <p v-if="kept.length" class="hint">
          {{ countSaying(kept.length, 'pinned example is', 'pinned examples are') }} as it must be:
          <template v-for="(example, index) in kept" :key="example.message.id"
            >{{ index ? ', ' : ''
            }}<button class="text-button" type="button" @click="opened = example.message.id">
              {{ example.message.subject || 'No subject' }}
            </button></template
          >.
        </p>
        <ol :aria-label="nearly ? 'Nearly taken' : 'Taken'">
          <li v-for="{ message, evidence, stays, missing } in shown" :key="message.id">
            <button
              type="button"
              class="row"
              :data-rehearsed="message.id"
              :aria-current="opened === message.id ? 'true' : undefined"
              @click="opened = message.id"
            >
              <span class="sender one-line">{{
                message.sender_name || message.sender_address || 'No sender'
              }}</span>
              <span class="journey one-line">{{
                nearly ? `in ${spokenPath(message.folder)}` : journey({ message, evidence, stays })
              }}</span>
              <span class="subject one-line">
                <EvidenceText
                  v-if="inSubject(message, evidence)"
                  :piece="inSubject(message, evidence)!"
                />
                <template v-else>{{ message.subject || 'No subject' }}</template>
              </span>
              <span class="because one-line">
                <b v-if="pinned(message.id)" class="pinned">{{ pinned(message.id) }} · </b>
                <b v-if="missing" class="missing">{{ missing }} · </b>
                <template v-for="(piece, index) in elsewhere(message, evidence)" :key="index">
                  <EvidenceText :piece="piece" :lead="LEADS[piece.field] ?? ''" /> ·
                </template>
                {{ daySaying(new Date(message.received), new Date()) }}
              </span>
            </button>
          </li>
        </ol>
        <p v-if="all > shown.length" class="hint">The newest {{ shown.length }} are shown.</p>
      </template>
    </section>
    <TriedMessage
      v-if="opened !== undefined"
      :id="opened"
      :example="rehearsal?.examples.find((known) => known.message.id === opened)"
      @close="close"
    />
  </div>
</template>

<style scoped>
.pane {
  display: grid;
  grid-template: minmax(0, 1fr) / minmax(0, 1fr);
  min-height: 0;
}

/* Where there is room, the message stands beside the list that it was opened from. */
.pane.both {
  grid-template-columns: minmax(0, 460px) minmax(0, 1fr);
}

.pane.both > :last-child {
  border-left: 1px solid var(--line);
}

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

.row {
  display: grid;
  grid-template-columns: auto minmax(80px, 1fr);
  gap: 0 12px;
  width: 100%;
  padding: 9px 16px;
  border: 0;
  border-top: 1px solid var(--line);
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.row:hover {
  background: var(--sheet-soft);
}

.row[aria-current] {
  background: var(--sheet);
  box-shadow: inset 3px 0 0 var(--spruce);
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

.notes {
  display: grid;
  gap: 4px;
  margin: 0 16px 8px;
  padding: 6px 12px;
  border-left: 3px solid var(--marigold);
  background: var(--marigold-wash);
}

.notes a,
.hint a {
  color: var(--spruce);
  font-weight: 600;
}

.notes.broken {
  border-color: var(--brick);
  background: var(--brick-wash);
}

.missing {
  color: var(--marigold);
  font-weight: 600;
}

.pinned {
  color: var(--spruce);
  font-weight: 600;
}

.hint {
  padding: 2px 16px 8px;
  color: var(--ink-soft);
}
</style>
