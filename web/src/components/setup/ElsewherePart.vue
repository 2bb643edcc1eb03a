<script setup lang="ts">
/** The mailbox on the simulated server, as another device sees it, live; and acts of that device. */
import { useDocumentVisibility, useIntervalFn } from '@vueuse/core'
import { computed, ref } from 'vue'

import { api, content, type DeviceAct, type MailThere } from '@/api/client'
import { useAnswer } from '@/composables/useAnswer'
import { countSaying, momentSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

/** How often the other device looks while somebody looks at it. */
const LOOKS_EVERY = 2_000 // milliseconds

const acts = useActs()
const mailbox = useMailbox()
const folder = ref('INBOX')
const looked = ref(0)
const { answer, failure } = useAnswer([folder, looked, () => mailbox.version], (signal) => {
  const params = { query: { folder: folder.value } }
  return content(api.GET('/api/outside/elsewhere', { params, signal }))
})
const there = computed(() => (answer.value?.server ? answer.value : undefined))
const visibility = useDocumentVisibility()
useIntervalFn(() => {
  if (there.value && visibility.value === 'visible') looked.value += 1
}, LOOKS_EVERY)

const others = computed(() =>
  (there.value?.folders ?? []).map((listed) => listed.name).filter((name) => name !== folder.value),
)

async function act(mail: MailThere, what: DeviceAct, target = ''): Promise<void> {
  await acts.attempt(async () => {
    const body = { folder: folder.value, uid: mail.uid, do: what, target }
    await content(api.POST('/api/outside/elsewhere', { body }))
    looked.value += 1
    return { saying: `Done on the other device, with “${mail.subject || 'no subject'}”` }
  })
}

function move(mail: MailThere, event: Event): void {
  if (!(event.target instanceof HTMLSelectElement)) return
  const target = event.target.value
  event.target.value = ''
  if (target) void act(mail, 'move', target)
}

function signs({ flagged, keywords }: MailThere): string {
  return [flagged ? '⚑' : '', ...keywords].filter(Boolean).join(' ')
}
</script>

<template>
  <section v-if="there" aria-label="On the server">
    <h2>On the server, as another device sees it</h2>
    <p class="hint">
      {{ there.user }} at {{ there.server }}, looked at through a connection of its own. What you do
      here is done as on a phone. Mnemic follows: at once what happens in the inbox, within a minute
      what happens elsewhere.
    </p>
    <p v-if="failure" class="failed" role="alert">{{ failure }}</p>
    <div class="both">
      <ul class="folders" aria-label="Folders on the server">
        <li v-for="listed in there.folders" :key="listed.name">
          <button
            class="text-button"
            type="button"
            :aria-current="listed.name === there.folder || undefined"
            @click="folder = listed.name"
          >
            {{ listed.name }}
          </button>
          <span class="count" :title="countSaying(listed.messages, 'message')">{{
            listed.unread ? `${listed.unread} unread of ${listed.messages}` : listed.messages
          }}</span>
        </li>
      </ul>
      <ul class="mail" :aria-label="`Mail in ${there.folder} on the server`">
        <li v-if="!there.mail.length" class="hint">Nothing lies here.</li>
        <li v-for="message in there.mail" :key="message.uid" :class="{ unread: !message.seen }">
          <p class="subject one-line" :title="message.subject">
            {{ message.subject || 'No subject' }}
            <span class="signs">{{ signs(message) }}</span>
          </p>
          <p class="hint came">
            <span class="one-line" :title="message.sender">{{ message.sender }},</span>
            <span class="moment">{{ momentSaying(new Date(message.received), new Date()) }}</span>
          </p>
          <p class="acts">
            <select
              class="field"
              :aria-label="`Move “${message.subject}” on the server`"
              @change="(event) => move(message, event)"
            >
              <option value="">Move to…</option>
              <option v-for="name in others" :key="name" :value="name">{{ name }}</option>
            </select>
            <button
              class="text-button"
              type="button"
              @click="act(message, message.seen ? 'unread' : 'read')"
            >
              {{ message.seen ? 'Unread' : 'Read' }}
            </button>
            <button
              class="text-button"
              type="button"
              @click="act(message, message.flagged ? 'unflag' : 'flag')"
            >
              {{ message.flagged ? 'Unflag' : 'Flag' }}
            </button>
            <button class="text-button destructive" type="button" @click="act(message, 'delete')">
              Delete
            </button>
          </p>
        </li>
      </ul>
    </div>
  </section>
</template>

<style scoped>
.both {
  display: grid;
  grid-template-columns: minmax(120px, 220px) minmax(0, 1fr);
  gap: 20px;
  margin-top: 10px;
}

ul {
  margin: 0;
  padding: 0;
  list-style: none;
}

.folders li {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 0 8px;
  padding: 2px 0;
}

[aria-current] {
  font-weight: 700;
  text-decoration: underline;
}

.count {
  color: var(--ink-soft);
}

.mail {
  max-height: 420px;
  overflow-y: auto;
  border: 1px solid var(--line);
  border-radius: var(--radius);
}

/* A long sender gives way: when it came can always be read. */
.came {
  display: flex;
  gap: 0.3em;
}
.came > :first-child {
  min-width: 0;
}
.moment {
  flex: none;
}

.mail li {
  padding: 6px 12px;
  border-bottom: 1px solid var(--line-soft);
}

.unread .subject {
  font-weight: 700;
}

.signs {
  color: var(--spruce);
  font-weight: 400;
}

.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 14px;
  margin-top: 4px;
}

.failed {
  color: var(--brick);
}

@media (max-width: 700px) {
  .both {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
