<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, content, type Message } from '@/api/client'
import FieldComplaint from '@/components/shell/FieldComplaint.vue'
import { useClosingList } from '@/composables/useClosingList'
import { useFormComplaints } from '@/composables/useFormComplaints'
import { useMailboxAnswer } from '@/composables/useMailboxAnswer'
import { momentSaying, spokenPath } from '@/rules/sayings'
import { useActs } from '@/stores/acts'

import ElsewherePart from './ElsewherePart.vue'

const acts = useActs()
const complaints = useFormComplaints({
  sender: 'sender',
  to: 'recipient',
  subject: 'subject',
  text: 'text',
})
const mine = useMailboxAnswer((signal) => content(api.GET('/api/accounts', { signal })))
const outside = useMailboxAnswer((signal) => content(api.GET('/api/outside/posted', { signal })))
const posted = computed(() => outside.value?.posted ?? [])
const shown = ref<number>()

const addresses = computed(() =>
  (mine.value?.accounts ?? []).flatMap((account) => [account.address, ...account.aliases]),
)

interface Letter {
  sender: string
  to: string[]
  subject: string
  text: string
  headers: Record<string, string>
}

const EMPTY: Letter = { sender: '', to: [], subject: '', text: '', headers: {} }
const letter = ref<Letter>({ ...EMPTY })

/** Messages that try what rules are mostly made of. */
const READY: { label: string; letter: Letter }[] = [
  {
    label: 'A request to an alias',
    letter: {
      ...EMPTY,
      sender: 'Aurelio Brandt <aurelio@heronsrest.example>',
      subject: 'Renewal of permit WL-2207',
      text: 'Good morning,\n\nthe permit runs out this month; I should like to renew it.\n\nAurelio',
    },
  },
  {
    label: 'A station’s report',
    letter: {
      ...EMPTY,
      sender: 'gauge-07@gauges.wendle-lyde.example',
      subject: 'ALARM Stanmarsh: level rising, 41 mm in an hour',
      text: 'Station: Stanmarsh\nTrend: rising',
      headers: { 'Auto-Submitted': 'auto-generated' },
    },
  },
  {
    label: 'A newsletter',
    letter: {
      ...EMPTY,
      sender: 'Waterways Heritage <news@heritage-waters.example>',
      subject: 'Locks of the month',
      text: 'Three locks worth a detour this month.',
      headers: {
        'List-Id': '<news.heritage-waters.example>',
        'List-Unsubscribe': '<https://heritage-waters.example/leave>',
      },
    },
  },
  {
    label: 'Somebody unknown, urgent',
    letter: {
      ...EMPTY,
      sender: 'Ines Farrow <ines@new-neighbour.example>',
      subject: 'Urgent: boat adrift below the weir',
      text: 'A boat has come loose and lies across the channel.',
      headers: { Importance: 'high' },
    },
  },
]

function usual(): string[] {
  const [first, second] = addresses.value
  return [second ?? first ?? ''].filter(Boolean)
}
function ready(next: Letter): void {
  letter.value = { ...next, to: usual() }
}
watch(addresses, (_, before) => {
  // A letter may be asked for before the addresses are here.
  if (before.length === 0 && letter.value.sender !== '') letter.value.to = usual()
})

/** Whether it comes in on the simulated server, where one runs. */
const toServer = ref(false)
const server = useMailboxAnswer((signal) =>
  content(api.GET('/api/outside/elsewhere', { params: { query: { folder: 'INBOX' } }, signal })),
)
const sending = ref(false)
/** What was sent from here, the newest first, as it lies in the mailbox. */
const sent = ref<Message[]>([])
async function send(): Promise<void> {
  sending.value = true
  await complaints.attempt(async () => {
    const to_server = toServer.value
    const { message } = await content(
      api.POST('/api/outside/messages', { body: { ...letter.value, to_server } }),
    )
    if (to_server) return { saying: 'Sent to the server, where Mnemic finds it' }
    if (message) sent.value = [message, ...sent.value].slice(0, MOST_SENT)
    return { saying: `Sent by SMTP to ${letter.value.to.join(', ')}` }
  })
  sending.value = false
}

/** Why it can't be sent yet. */
const missing = computed(() => {
  if (!letter.value.sender.trim()) return 'Say from whom.'
  return letter.value.to.length ? '' : 'Say to whom.'
})

const close = useClosingList('recipients')
function addressTo(to: string[]): void {
  letter.value.to = to
  close()
}

const MOST_SENT = 8
const KINDS = { forward: 'Forward', reply: 'Reply' }

type Posted = (typeof posted.value)[number]
function stateSaying({ state, said, due }: Posted): string {
  if (state === 'kept') return 'kept here'
  if (state === 'sent') return 'sent'
  if (state === 'failed') return `could not be sent: ${said}`
  const next = due && said ? `, tried again ${momentSaying(new Date(due), new Date())}` : ''
  return `waits${said ? `: ${said}` : ''}${next}`
}
async function change(letter: Posted, what: 'again' | 'keep'): Promise<void> {
  await acts.attempt(async () => {
    const params = { path: { id: letter.id } }
    if (what === 'again') await content(api.POST('/api/outside/posted/{id}/again', { params }))
    else await content(api.POST('/api/outside/posted/{id}/keep', { params }))
    return {
      saying: `“${letter.subject}” ${what === 'again' ? 'is tried again' : 'is kept here, and does not leave'}`,
    }
  })
}
</script>

<template>
  <p class="lead">
    The simulated post. A test message goes the way that real mail comes: through the SMTP listener,
    past the rules, into a folder. What rules forward and answer is listed below: it leaves only
    where an account sends (Mail on a server); else it is kept, and never leaves this computer.
  </p>
  <h2>Write a test message</h2>
  <p class="ready">
    <button
      v-for="example in READY"
      :key="example.label"
      class="text-button"
      type="button"
      @click="ready(example.letter)"
    >
      {{ example.label }}
    </button>
  </p>
  <form aria-label="Test message" @submit.prevent="send">
    <label for="letter-sender">From anybody</label>
    <div data-field>
      <el-input id="letter-sender" v-model="letter.sender" placeholder="Name <name@domain>" />
      <FieldComplaint :saying="complaints.at('sender')" />
    </div>
    <label for="letter-to">To</label>
    <div data-field>
      <el-select
        id="letter-to"
        ref="recipients"
        :model-value="letter.to"
        multiple
        filterable
        allow-create
        default-first-option
        placeholder="one of your addresses, or any"
        aria-label="To"
        :reserve-keyword="false"
        :teleported="false"
        @update:model-value="addressTo"
      >
        <el-option v-for="address in addresses" :key="address" :value="address" :label="address" />
      </el-select>
      <FieldComplaint :saying="complaints.at('to')" />
    </div>
    <label for="letter-subject">Subject</label>
    <div data-field>
      <el-input id="letter-subject" v-model="letter.subject" />
      <FieldComplaint :saying="complaints.at('subject')" />
    </div>
    <label for="letter-text">Text</label>
    <div data-field>
      <el-input
        id="letter-text"
        v-model="letter.text"
        type="textarea"
        :autosize="{ minRows: 3, maxRows: 10 }"
      />
      <FieldComplaint :saying="complaints.at('text')" />
    </div>
    <template v-if="Object.keys(letter.headers).length">
      <span class="hint">Header fields</span>
      <div>
        <div v-for="(value, name) in letter.headers" :key="name">
          <b>{{ name }}</b>: {{ value }}
        </div>
      </div>
    </template>
    <template v-if="server?.server">
      <label for="letter-comes">Comes in</label>
      <div>
        <select id="letter-comes" v-model="toServer" class="field">
          <option :value="false">on this computer, by SMTP</option>
          <option :value="true">on the simulated server</option>
        </select>
      </div>
    </template>
    <div class="wide" data-field>
      <FieldComplaint :saying="complaints.elsewhere()" />
      <el-button type="primary" native-type="submit" :disabled="sending || missing !== ''"
        >Send it</el-button
      >
      <span v-if="missing" class="hint missing">{{ missing }}</span>
    </div>
  </form>
  <template v-if="sent.length">
    <h2>What came of it</h2>
    <ul class="sent" aria-label="Test messages sent">
      <li v-for="message in sent" :key="message.id">
        <RouterLink :to="`/mail/folder/${message.folder_id}/${message.id}`">{{
          message.subject || 'No subject'
        }}</RouterLink>
        is in {{ spokenPath(message.folder) }},
        <template v-if="message.reason">
          {{ message.reason.saying.replace(/^here /, '') }}
          <RouterLink v-if="message.reason.rule_id" :to="`/rules/${message.reason.rule_id}`">{{
            message.reason.rule_name
          }}</RouterLink>
        </template>
        <template v-else>no rule took it</template>
      </li>
    </ul>
  </template>
  <ElsewherePart />
  <h2>What went out</h2>
  <p v-if="!posted.length" class="hint">
    Nothing yet. Rules that forward or answer put their mail here.
  </p>
  <table v-else>
    <thead>
      <tr>
        <th>When</th>
        <th>What</th>
        <th>Letter</th>
        <th>How it went</th>
        <th class="does"><span class="visually-hidden">What to do</span></th>
      </tr>
    </thead>
    <tbody>
      <template v-for="gone in posted" :key="gone.id">
        <tr>
          <td>{{ momentSaying(new Date(gone.at), new Date()) }}</td>
          <td>{{ KINDS[gone.kind] }} by {{ gone.rule_name }}</td>
          <td>
            {{ gone.subject || 'No subject' }}
            <div class="hint">to {{ gone.recipient }}</div>
          </td>
          <td :class="{ failed: gone.state === 'failed' }">{{ stateSaying(gone) }}</td>
          <td class="does">
            <button
              v-if="gone.state === 'failed'"
              class="text-button"
              type="button"
              @click="change(gone, 'again')"
            >
              Try again
            </button>
            <button
              v-if="gone.state === 'failed' || gone.state === 'waiting'"
              class="text-button"
              type="button"
              @click="change(gone, 'keep')"
            >
              Keep it here
            </button>
            <button
              class="text-button"
              type="button"
              :aria-expanded="shown === gone.id"
              @click="shown = shown === gone.id ? undefined : gone.id"
            >
              {{ shown === gone.id ? 'Close' : 'Look at it' }}
            </button>
          </td>
        </tr>
        <tr v-if="shown === gone.id">
          <td colspan="5">
            <iframe
              sandbox=""
              :src="`/api/outside/posted/${gone.id}`"
              title="The message that went out"
            ></iframe>
          </td>
        </tr>
      </template>
    </tbody>
  </table>
</template>

<style scoped>
.failed {
  color: var(--brick);
}

.missing {
  margin-left: 12px;
}

.sent a {
  color: var(--spruce);
  font-weight: 600;
}

.ready {
  display: flex;
  flex-wrap: wrap;
  gap: 20px;
}

iframe {
  width: 100%;
  height: 260px;
  border: 1px solid var(--line);
}
</style>
