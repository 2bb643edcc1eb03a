<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, content } from '@/api/client'
import { useAnswer } from '@/composables/useAnswer'
import { momentSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

import FactsBar from './FactsBar.vue'
import MessageBody from './MessageBody.vue'
import MessageCommands from './MessageCommands.vue'
import MessageTrail from './MessageTrail.vue'

const props = defineProps<{
  id: number
  /** Shown since it alone is selected: that is no reading of it. */
  peek?: boolean
}>()
const emit = defineEmits<{ moved: [id: number | undefined] }>()
const mailbox = useMailbox()
const acts = useActs()

const { answer, failure } = useAnswer([() => props.id, () => mailbox.version], (signal) => {
  const params = { path: { message_id: props.id } }
  return content(api.GET('/api/messages/{message_id}', { params, signal }))
})
/** The message; undefined until it is here, and where it can't be had. */
const message = computed(() =>
  failure.value || answer.value?.id !== props.id ? undefined : answer.value,
)

watch(
  () => message.value?.id,
  async (id) => {
    if (id === undefined || message.value?.seen !== false || props.peek) return
    const params = { path: { message_id: id } }
    await content(api.POST('/api/messages/{message_id}/seen', { params })).catch(acts.fail)
    await mailbox.refresh() // what its owner does is seen at once, also where mail pours in
  },
)

const received = computed(() => momentSaying(new Date(message.value?.received ?? 0), new Date()))

function people(addresses: { name: string; address: string }[]): string {
  return addresses.map((person) => person.name || person.address).join(', ')
}

const signs = computed(() => {
  const now = message.value
  if (!now) return []
  return [
    now.flagged ? '⚑ flagged' : '',
    now.colour ? `coloured ${now.colour}` : '',
    now.priority ? `${now.priority} importance` : '',
  ].filter(Boolean)
})

const facts = ref<{ makeRule: () => Promise<void> }>()
const trail = ref<{ toggle: () => void }>()
defineExpose({
  makeRule: async () => {
    await facts.value?.makeRule()
  },
  /** The focus goes to the first of the message's facts. */
  enter: () => {
    document.querySelector<HTMLElement>('.facts button')?.focus()
  },
  why: () => {
    trail.value?.toggle()
  },
})
</script>

<template>
  <article v-if="message" class="message" :aria-label="message.subject ?? 'No subject'">
    <header>
      <h2>{{ message.subject || 'No subject' }}</h2>
      <p class="people">
        <b>{{ message.sender_name || message.sender_address || 'No sender' }}</b>
        <template v-if="message.sender_name"> &lt;{{ message.sender_address }}&gt;</template>
        <template v-if="message.to.length"> to {{ people(message.to) }}</template
        ><template v-if="message.cc.length">, copy to {{ people(message.cc) }}</template
        >, {{ received }}
        <span v-if="message.labels.length" class="labels">
          <span v-for="label in message.labels" :key="label">
            <span
              class="swatch"
              :style="{
                background: `var(--${mailbox.colourOf.get(label.toLowerCase()) ?? 'slate'})`,
              }"
            ></span>
            {{ label }}
          </span>
        </span>
        <span v-for="sign in signs" :key="sign" class="sign">{{ sign }}</span>
      </p>
      <MessageCommands
        :which="{ ids: [message.id], leave_out: [] }"
        :count="1"
        :folder="message.folder"
        :labels="message.labels"
        :seen="message.seen"
        :flagged="message.flagged"
        @done="(moved, which) => moved && emit('moved', which.ids?.[0])"
      />
    </header>
    <div class="about">
      <MessageTrail ref="trail" :message="message" />
      <FactsBar ref="facts" :message="message" />
    </div>
    <div class="body"><MessageBody :message="message" /></div>
  </article>
  <p v-else-if="failure" class="hint" role="alert">{{ failure }}</p>
  <p v-else class="hint"></p>
</template>

<style scoped>
.message {
  display: flex;
  flex-direction: column;
  min-height: 0;
  overflow-y: auto;
  background: var(--sheet);
}

header {
  display: grid;
  gap: 4px;
  padding: 14px 28px 10px;
}

.body {
  display: flex;
  flex: 1;
  flex-direction: column;
}

h2 {
  font: 500 24px/32px var(--type-mail);
  overflow-wrap: anywhere;
}

.people {
  color: var(--ink-soft);
  overflow-wrap: anywhere;
}

.people b {
  color: var(--ink);
}

.labels > span,
.sign {
  margin-left: 10px;
  color: var(--ink);
  white-space: nowrap;
}

.hint {
  padding: 28px;
  color: var(--ink-soft);
  background: var(--sheet);
}

/* What is known of it stands beside its text. */
@media (min-width: 1800px) {
  .message {
    display: grid;
    grid-template: auto minmax(0, 1fr) / minmax(0, 760px) minmax(360px, 1fr);
  }

  header {
    grid-column: 1 / -1;
    border-bottom: 1px solid var(--line);
  }

  .about {
    grid-area: 2 / 2;
    max-width: 720px;
  }

  .body {
    grid-area: 2 / 1;
    border-right: 1px solid var(--line-soft);
  }
}

@media (max-width: 699px) {
  header {
    padding: 8px 14px;
  }
}
</style>
