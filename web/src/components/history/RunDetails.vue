<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, content, type HistoryRun, type RunMessages } from '@/api/client'
import { useAnswer } from '@/composables/useAnswer'
import { countSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

const props = defineProps<{ run: HistoryRun }>()
const acts = useActs()
const mailbox = useMailbox()

const PAGE = 100 // as many as the server tells at once
const wanted = ref(PAGE)
watch(
  () => props.run.id,
  () => (wanted.value = PAGE),
)

/** As many of its messages as are wanted, in as many pages as that takes. */
async function messagesOfRun(signal: AbortSignal): Promise<RunMessages> {
  const path = { run_id: props.run.id }
  const messages: RunMessages['messages'] = []
  for (;;) {
    const before = messages.at(-1)?.message.id
    const query = before === undefined ? {} : { before }
    const page = await content(
      api.GET('/api/history/{run_id}', { params: { path, query }, signal }),
    )
    messages.push(...page.messages)
    if (page.messages.length < PAGE || messages.length >= wanted.value) return { ...page, messages }
  }
}
const { answer: details, failure } = useAnswer(
  [() => props.run.id, () => mailbox.version, wanted],
  messagesOfRun,
)
const left = computed(() => props.run.messages - (details.value?.messages.length ?? 0))

/** "Moved from Inbox to Shop, labelled Order" */
function together(changes: readonly string[]): string {
  const [first = '', ...rest] = changes
  return [first, ...rest.map((item) => item.charAt(0).toLowerCase() + item.slice(1))].join(', ')
}
</script>

<template>
  <div>
    <p v-if="failure" role="alert">{{ failure }}</p>
    <template v-if="details">
      <p v-if="details.rules.length > 1 && !run.undone" class="shares">
        <span v-for="share in details.rules" :key="share.rule_id">
          {{ share.name }}: {{ countSaying(share.messages, 'message') }}
          <button
            class="text-button"
            type="button"
            @click="acts.undo(run.id, { rule_id: share.rule_id })"
          >
            Undo its part
          </button>
        </span>
      </p>
      <ul aria-label="Messages of this run">
        <li v-for="{ message, changes } in details.messages" :key="message.id">
          <RouterLink
            class="subject one-line"
            :to="`/mail/folder/${message.folder_id}/${message.id}`"
            >{{ message.subject || 'No subject' }}</RouterLink
          >
          <span class="changes one-line"
            >{{ together(changes) }}{{ mailbox.ofAccount(message.folder_id) }}</span
          >
          <button
            v-if="!run.undone && run.messages > 1"
            class="text-button"
            type="button"
            :aria-label="`Undo for it: “${message.subject || 'No subject'}”`"
            @click="acts.undo(run.id, { message_id: message.id })"
          >
            Undo for it
          </button>
        </li>
      </ul>
      <p v-if="left > 0" class="hint">
        The newest {{ details.messages.length.toLocaleString('en-GB') }} of
        {{ run.messages.toLocaleString('en-GB') }} are shown.
        <button class="text-button" type="button" @click="wanted += PAGE">
          Show the next {{ Math.min(PAGE, left).toLocaleString('en-GB') }}
        </button>
      </p>
    </template>
  </div>
</template>

<style scoped>
.shares {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
  padding-bottom: 6px;
}

ul {
  max-height: 360px;
  overflow-y: auto;
}

li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr) 84px;
  gap: 12px;
  align-items: baseline;
  padding: 3px 4px 3px 0;
}

.subject {
  color: var(--ink);
  font: 15px/20px var(--type-mail);
}

.changes,
.hint {
  color: var(--ink-soft);
}

@media (max-width: 699px) {
  li {
    grid-template-columns: minmax(0, 1fr) 84px;
    gap: 2px 12px;
  }

  .changes {
    grid-area: 2 / 1 / 3 / -1;
  }
}
</style>
