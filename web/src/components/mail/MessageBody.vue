<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import type { OpenMessage } from '@/api/client'
import { countSaying, sizeSaying } from '@/rules/sayings'

const props = defineProps<{ message: OpenMessage }>()

type Way = 'html' | 'text' | 'headers' | 'source'

const ways = computed(() => {
  const shown: [Way, string][] = []
  if (props.message.remote_pictures !== null) shown.push(['html', 'Laid out'])
  if (props.message.text !== null) shown.push(['text', 'Plain text'])
  shown.push(['headers', 'All headers'], ['source', 'As it came'])
  return shown
})
/** Where a message has both, HTML is what its writer meant; the text is one click away. */
const way = ref<Way>('text')
const showsPictures = ref(false)
watch(
  () => props.message.id,
  () => {
    way.value = ways.value[0]?.[0] ?? 'headers'
    showsPictures.value = false
  },
  { immediate: true },
)

const base = computed(() => `/api/messages/${props.message.id}`)
const remote = computed(() => props.message.remote_pictures ?? [])
const unsubscribe = computed(() => props.message.unsubscribe)
</script>

<template>
  <p class="line thumb-row">
    <span class="ways" role="group" aria-label="How to show it">
      <button
        v-for="[key, label] in ways"
        :key="key"
        class="way"
        type="button"
        :aria-pressed="way === key"
        @click="way = key"
      >
        {{ label }}
      </button>
    </span>
    <a
      class="text-button"
      :href="`${base}/octets`"
      :download="`message-${message.id}.eml`"
      title="The message as it came, byte for byte"
      >Save as .eml</a
    >
  </p>
  <p class="line note">
    <span
      ><b>{{ message.kind.replace('_', ' ') }}</b
      >: {{ message.kind_reason }}</span
    >
    <span v-for="note in message.notes" :key="note">{{ note }}</span>
  </p>
  <p v-if="unsubscribe.length" class="line note">
    <span
      >To stop it, tell its sender:
      <template v-for="(address, index) in unsubscribe" :key="address">
        <template v-if="index"> or </template>
        <a :href="address" target="_blank" rel="noopener noreferrer">{{ address }}</a>
      </template>
    </span>
  </p>
  <div v-if="remote.length && way === 'html'" class="line note">
    <span>
      {{ countSaying(remote.length, 'picture') }} from elsewhere
      {{ remote.length === 1 ? 'is' : 'are' }} not loaded: loading would tell the sender that you
      read this.
      <button
        class="text-button"
        type="button"
        :aria-expanded="showsPictures"
        @click="showsPictures = !showsPictures"
      >
        {{ showsPictures ? 'Hide their addresses' : 'What are they?' }}
      </button>
    </span>
    <ul v-if="showsPictures" class="addresses">
      <li v-for="(address, index) in remote" :key="index">{{ address }}</li>
    </ul>
  </div>
  <ul v-if="message.attached.length" class="line attached" aria-label="Attachments">
    <li v-for="(attachment, index) in message.attached" :key="index">
      <a :href="`${base}/attachments/${index}`" download>{{ attachment.name || 'Without name' }}</a>
      {{ attachment.media_type }}, {{ sizeSaying(attachment.size) }}
    </li>
  </ul>
  <iframe
    v-if="way === 'html'"
    sandbox="allow-popups allow-popups-to-escape-sandbox"
    referrerpolicy="no-referrer"
    :src="`${base}/html`"
    title="The message’s text"
  ></iframe>
  <iframe
    v-else-if="way === 'source'"
    sandbox=""
    :src="`${base}/source`"
    title="The message as it came"
  ></iframe>
  <dl v-else-if="way === 'headers'" class="headers">
    <template v-for="(field, index) in message.headers" :key="index">
      <dt>{{ field.name }}</dt>
      <dd>{{ field.value }}</dd>
    </template>
    <template v-if="message.delivered_to.length">
      <dt>(envelope)</dt>
      <dd>delivered to {{ message.delivered_to.join(', ') }}</dd>
    </template>
  </dl>
  <div v-else class="text">{{ message.text }}</div>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
  justify-content: space-between;
  padding: 6px 28px;
}

.note,
.attached {
  justify-content: flex-start;
  color: var(--ink-soft);
  overflow-wrap: anywhere;
}

.note b {
  color: var(--ink);
}

.note a,
.attached a {
  color: var(--spruce);
  font-weight: 600;
}

.line > a {
  text-decoration: none;
}

.addresses {
  flex: 1 0 100%;
  font-size: 13px;
}

.ways {
  display: flex;
  gap: 2px;
  margin-left: -8px;
}

.way {
  padding: 2px 8px;
  border: 0;
  border-radius: 4px;
  background: none;
  color: var(--ink-soft);
  font: inherit;
  cursor: pointer;
}

.way:hover {
  background: var(--spruce-wash);
}

.way[aria-pressed='true'] {
  color: var(--ink);
  font-weight: 600;
  box-shadow: inset 0 -2px 0 var(--spruce);
  border-radius: 0;
}

iframe {
  flex: 1;
  min-height: 280px;
  border: 0;
  background: var(--paper);
  color-scheme: light;
  margin: 8px 28px 0;
}

.text {
  flex: 1;
  padding: 8px 28px 24px;
  font: 16.5px/25px var(--type-mail);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-width: calc(64ch + 56px);
}

.headers {
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  gap: 2px 16px;
  padding: 8px 28px 24px;
  overflow-wrap: anywhere;
}

dt {
  color: var(--ink-soft);
}

@media (max-width: 699px) {
  iframe {
    margin-inline: 0;
  }

  .line,
  .text,
  .headers {
    padding-inline: 14px;
  }
}
</style>
