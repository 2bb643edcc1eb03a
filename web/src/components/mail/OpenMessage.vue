<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'

import { api, content, type OpenMessage } from '@/api/client'
import { countSaying, momentSaying, sizeSaying } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

import MessageTrail from './MessageTrail.vue'

const props = defineProps<{ id: number }>()
const mailbox = useMailbox()

const message = shallowRef<OpenMessage>()
const failure = ref('')
/** Where a message has both, HTML is what its writer meant; the text is one click away. */
const asText = ref(false)

/** Load the message; undefined where it can't be had, or another was asked for meanwhile. */
async function load(id: number): Promise<OpenMessage | undefined> {
  try {
    const found = await content(
      api.GET('/api/messages/{message_id}', { params: { path: { message_id: id } } }),
    )
    if (id !== props.id) return undefined
    failure.value = ''
    message.value = found
    return found
  } catch (error) {
    failure.value = error instanceof Error ? error.message : String(error)
    return undefined
  }
}

async function mark(seen: boolean): Promise<void> {
  const params = { path: { message_id: props.id } }
  await content(api.PATCH('/api/messages/{message_id}', { params, body: { seen } }))
  if (message.value) message.value = { ...message.value, seen }
  mailbox.refreshSoon()
}

watch(
  () => props.id,
  async (id) => {
    message.value = undefined
    asText.value = false
    const found = await load(id)
    if (found?.seen === false) await mark(true)
  },
  { immediate: true },
)
watch(
  () => mailbox.version,
  () => void load(props.id),
)

const showsHtml = computed(() => message.value?.remote_pictures !== null && !asText.value)
const received = computed(() => momentSaying(new Date(message.value?.received ?? 0), new Date()))

function people(addresses: { name: string; address: string }[]): string {
  return addresses.map((each) => each.name || each.address).join(', ')
}
</script>

<template>
  <article v-if="message" class="message" :aria-label="message.subject ?? 'No subject'">
    <header>
      <h1>{{ message.subject || 'No subject' }}</h1>
      <p class="people">
        <b>{{ message.sender_name || message.sender_address || 'No sender' }}</b>
        <template v-if="message.sender_name"> &lt;{{ message.sender_address }}&gt;</template>
        <template v-if="message.to.length"> to {{ people(message.to) }}</template
        ><template v-if="message.cc.length">, copy to {{ people(message.cc) }}</template
        >, {{ received }}
      </p>
    </header>
    <div class="where">
      <MessageTrail :message="message" />
      <div class="commands">
        <button class="text-button" type="button" @click="mark(!message.seen)">
          {{ message.seen ? 'Mark as unread' : 'Mark as read' }}
        </button>
        <a
          class="text-button"
          :href="`/api/messages/${message.id}/octets`"
          :download="`message-${message.id}.eml`"
          title="The message as it came, byte for byte"
          >Save as .eml</a
        >
      </div>
    </div>
    <p v-if="message.remote_pictures !== null" class="note">
      <template v-if="message.remote_pictures">
        {{ countSaying(message.remote_pictures, 'picture') }} from elsewhere
        {{ message.remote_pictures === 1 ? 'is' : 'are' }} not loaded: loading would tell the sender
        that you read this.
      </template>
      <button
        v-if="message.text !== null"
        class="text-button"
        type="button"
        @click="asText = !asText"
      >
        {{ asText ? 'Show it laid out' : 'Show it as plain text' }}
      </button>
    </p>
    <ul v-if="message.attached.length" class="attached" aria-label="Attachments">
      <li v-for="(each, index) in message.attached" :key="index">
        <span>{{ each.name || 'Without name' }}</span> {{ each.media_type }},
        {{ sizeSaying(each.size) }}
      </li>
    </ul>
    <iframe
      v-if="showsHtml"
      sandbox="allow-popups allow-popups-to-escape-sandbox"
      referrerpolicy="no-referrer"
      :src="`/api/messages/${message.id}/html`"
      title="The message’s text"
    ></iframe>
    <div v-else class="text">{{ message.text }}</div>
  </article>
  <p v-else-if="failure" class="hint" role="alert">{{ failure }}</p>
</template>

<style scoped>
.message {
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--sheet);
}

header {
  padding: 14px 28px 12px;
}

h1 {
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

.where {
  display: flex;
  justify-content: space-between;
  align-items: flex-start;
  gap: 16px;
  padding: 9px 28px;
  background: var(--sheet-soft);
  border: solid var(--line);
  border-width: 1px 0;
}

.commands {
  display: flex;
  gap: 20px;
  white-space: nowrap;
}

.commands a {
  text-decoration: none;
}

.note,
.attached {
  padding: 8px 28px;
  border-bottom: 1px solid var(--line-soft);
  color: var(--ink-soft);
}

.note:empty {
  display: none;
}

.attached {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
}

.attached span {
  color: var(--ink);
  font-weight: 600;
}

iframe {
  flex: 1;
  border: 0;
  margin: 16px 28px 0;
}

.text {
  flex: 1;
  overflow-y: auto;
  padding: 16px 28px;
  font: 16.5px/25px var(--type-mail);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-width: 680px;
}

.hint {
  padding: 28px;
  color: var(--ink-soft);
}
</style>
