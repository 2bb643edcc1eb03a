<script setup lang="ts">
import { computed } from 'vue'

import { api, content, type MarkedMessage, type Rehearsal } from '@/api/client'
import { useAnswer } from '@/composables/useAnswer'
import { bodyOfDraft } from '@/composables/useRehearsal'
import { stretches } from '@/rules/marks'
import { momentSaying, spokenPath } from '@/rules/sayings'
import { useWorkbench } from '@/stores/workbench'

import EvidenceText from './EvidenceText.vue'

const props = defineProps<{
  id: number
  example: Rehearsal['examples'][number] | undefined
}>()
const emit = defineEmits<{ close: [] }>()
const workbench = useWorkbench()

const { answer: outcome, failure } = useAnswer(
  [() => props.id, () => JSON.stringify(bodyOfDraft(workbench.draft, workbench.ruleId))],
  async (signal): Promise<MarkedMessage | undefined> => {
    const body = bodyOfDraft(workbench.draft, workbench.ruleId)
    if (!body) return outcome.value
    const params = { path: { message_id: props.id } }
    return content(api.POST('/api/rehearsal/messages/{message_id}', { params, body, signal }))
  },
)

const subject = computed(() =>
  stretches(outcome.value?.message.subject ?? '', outcome.value?.evidence ?? [], 'subject'),
)
const text = computed(() =>
  stretches(outcome.value?.text ?? '', outcome.value?.evidence ?? [], 'body'),
)
const others = computed(() =>
  (outcome.value?.evidence ?? []).filter((piece) => !['subject', 'body'].includes(piece.field)),
)
const pin = computed(() => workbench.draft.pins.find((pin) => pin.message_id === props.id))

function toggle(wanted: boolean): void {
  workbench.pin(props.id, pin.value?.wanted === wanted ? undefined : wanted)
}
</script>

<template>
  <section class="tried" aria-label="The message, beside the rule">
    <p class="back thumb-row">
      <button class="text-button" type="button" @click="emit('close')">← All messages</button>
      <RouterLink
        v-if="outcome"
        class="text-button"
        :to="`/mail/folder/${outcome.message.folder_id}/${outcome.message.id}`"
        >Open in Mail</RouterLink
      >
    </p>
    <p v-if="failure" class="hint" role="alert">{{ failure }}</p>
    <template v-if="outcome">
      <h2>
        <template v-if="!outcome.message.subject">No subject</template>
        <template v-for="(phrase, index) in subject" :key="index"
          ><mark v-if="phrase.marked">{{ phrase.text }}</mark
          ><template v-else>{{ phrase.text }}</template></template
        >
      </h2>
      <p class="hint">
        {{ outcome.message.sender_name || outcome.message.sender_address }},
        {{ momentSaying(new Date(outcome.message.received), new Date()) }}, in
        {{ spokenPath(outcome.message.folder) }}
      </p>
      <p class="verdict" role="status">
        <b>{{ outcome.taken ? 'The rule takes it' : 'The rule leaves it' }}</b><template
          v-if="example?.wrong"
          >; {{ example.wrong }}</template
        >
      </p>
      <p class="pins" role="group" aria-label="Pin it as an example">
        <button type="button" :aria-pressed="pin?.wanted === true" @click="toggle(true)">
          {{ pin?.wanted === true ? '✓ ' : '' }}Must be taken
        </button>
        <button type="button" :aria-pressed="pin?.wanted === false" @click="toggle(false)">
          {{ pin?.wanted === false ? '✓ ' : '' }}Must not be taken
        </button>
      </p>
      <ul v-if="others.length" class="evidence" aria-label="Evidence">
        <li v-for="(piece, index) in others" :key="index">
          <EvidenceText :piece="piece" :lead="piece.field.replace('_', ' ')" />
        </li>
      </ul>
      <p class="text">
        <template v-for="(phrase, index) in text" :key="index"
          ><mark v-if="phrase.marked">{{ phrase.text }}</mark
          ><template v-else>{{ phrase.text }}</template></template
        >
      </p>
    </template>
  </section>
</template>

<style scoped>
.tried {
  overflow-y: auto;
  padding: 12px 18px 24px;
}

.back {
  display: flex;
  justify-content: space-between;
  margin-bottom: 10px;
}

.back a {
  text-decoration: none;
}

h2 {
  font: 500 20px/26px var(--type-mail);
  overflow-wrap: anywhere;
}

.hint,
.evidence {
  color: var(--ink-soft);
}

.verdict {
  margin: 10px 0 8px;
}

.pins {
  display: flex;
  gap: 8px;
  margin-bottom: 10px;
}

.pins button {
  padding: 3px 10px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  color: var(--ink);
  font: inherit;
  cursor: pointer;
}

.pins button:hover {
  border-color: var(--ink-soft);
}

.pins [aria-pressed='true'] {
  border-color: var(--spruce);
  background: var(--spruce-wash);
  font-weight: 600;
}

.evidence {
  margin-bottom: 10px;
  overflow-wrap: anywhere;
}

.text {
  font: 16px/24px var(--type-mail);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
