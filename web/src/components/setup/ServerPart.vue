<script setup lang="ts">
/** Accounts whose mail lies on a server: connected, watched, let act, and forgotten. */
import { computed, ref } from 'vue'

import { catchUpBody } from '@/api/bodies'
import { api, content, type Connection } from '@/api/client'
import FieldComplaint from '@/components/shell/FieldComplaint.vue'
import { useFormComplaints } from '@/composables/useFormComplaints'
import { useMailboxAnswer } from '@/composables/useMailboxAnswer'
import { MAIL_SECURITY, portFor, type Security } from '@/mail/securities'
import { countSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { ask } from '@/stores/asking'
import { useMailbox } from '@/stores/mailbox'

import RulesThere from './RulesThere.vue'
import SecurityChoice from './SecurityChoice.vue'
import SendingPart from './SendingPart.vue'
import ServerFolders from './ServerFolders.vue'

const acts = useActs()
const mailbox = useMailbox()
const complaints = useFormComplaints({
  name: 'name',
  address: 'address',
  host: 'server',
  port: 'port',
  security: 'security',
  user: 'user name',
  password: 'password',
  authorities: 'authorities',
})
const listed = useMailboxAnswer((signal) => content(api.GET('/api/connections', { signal })))
const connected = computed(() => listed.value?.connections ?? [])

const EMPTY = {
  name: '',
  address: '',
  host: '',
  port: '993',
  user: '',
  password: '',
  authorities: '',
}
const form = ref<typeof EMPTY & { security: Security }>()
/** What was found when an account was tried. */
const sentences = ref<readonly string[]>([])
const busy = ref(false)

function begin(): void {
  sentences.value = []
  form.value = { ...EMPTY, security: 'tls' }
}

function choose(security: Security): void {
  if (!form.value) return
  form.value.security = security
  form.value.port = String(portFor(MAIL_SECURITY, security))
}

async function connect(): Promise<void> {
  const now = form.value
  if (!now) return
  busy.value = true
  const done = await complaints.attempt(async () => {
    const body = {
      ...now,
      port: Number(now.port),
      authorities: now.authorities || null,
      aliases: [],
      untried: false,
    }
    const tried = await content(api.POST('/api/connections', { body }))
    sentences.value = tried.sentences
    return { saying: `“${now.name}” is connected, and only watched for now` }
  })
  busy.value = false
  if (done) form.value = undefined
}

async function tryIt(account: Connection): Promise<void> {
  sentences.value = []
  await acts.attempt(async () => {
    const params = { path: { id: account.id } }
    const tried = await content(api.POST('/api/connections/{id}/try', { params }))
    sentences.value = tried.sentences
    return { saying: `“${account.name}” can be reached` }
  })
}

/** What a catch-up over what was watched would do, told before rules act. */
async function catchUpSaying(account: Connection): Promise<string> {
  const rule_ids = mailbox.rules.filter((rule) => rule.rule.enabled).map((rule) => rule.id)
  if (!rule_ids.length || !account.messages) return ''
  const body = catchUpBody({ rule_ids, which: { mailbox: account.mailbox } })
  const { examined, report } = await content(api.POST('/api/catch-ups/preview', { body }))
  const changes = report.changed
    ? `would change ${report.changed.toLocaleString('en-GB')} of ${countSaying(examined, 'message')}`
    : 'would change nothing'
  return ` A catch-up ${changes}; it is yours to start, in Mail under “At hand”.`
}

async function letAct(account: Connection, acting: boolean): Promise<void> {
  if (acting) {
    const catchUp = await catchUpSaying(account).catch(() => '')
    const question =
      'Rules act on what arrives from now on, and what you do here is done on the server, too. ' +
      `What is there already stays as it is.${catchUp}`
    if (!(await ask(question, `Let rules act in “${account.name}”?`, 'Let rules act'))) return
  }
  await acts.attempt(async () => {
    const params = { path: { id: account.id } }
    await content(api.PUT('/api/connections/{id}/acting', { params, body: { acting } }))
    return {
      saying: acting ? `Rules act in “${account.name}”` : `“${account.name}” is only watched`,
    }
  })
}

async function letEmpty(account: Connection, on: boolean): Promise<void> {
  const days = countSaying(mailbox.trashDays, 'day')
  if (on) {
    const now = account.trash_due
      ? `${countSaying(account.trash_due, 'message')} of them at the next look`
      : 'none of it yet'
    const question = `What has lain in its trash here for ${days} is destroyed for good, on the server, too: ${now}.`
    if (!(await ask(question, `Empty the trash of “${account.name}”?`, 'Empty it'))) return
  }
  await acts.attempt(async () => {
    const params = { path: { id: account.id } }
    await content(api.PUT('/api/connections/{id}/emptying', { params, body: { on } }))
    return {
      saying: on
        ? `The trash of “${account.name}” is emptied after ${days}`
        : `The trash of “${account.name}” is not emptied`,
    }
  })
}

async function forget(account: Connection): Promise<void> {
  const there = account.rules_there
    ? 'its server goes on running its rules, unless they are brought back first'
    : 'on the server nothing changes'
  const question = `Its mirror (${countSaying(account.messages, 'message')}) and its password are taken away here; ${there}.`
  if (!(await ask(question, `Take “${account.name}” away?`, 'Take it away'))) return
  await acts.attempt(async () => {
    await content(api.DELETE('/api/connections/{id}', { params: { path: { id: account.id } } }))
    return { saying: `“${account.name}” is taken away; its server has its mail` }
  })
}
</script>

<template>
  <div>
    <p class="lead">
      Mail that lies on a server can be connected. At first it is only watched: nothing changes
      there. Once you let rules act, what they and you do is done on the server, and every device
      shows sorted mail. Colours and importance stay here.
    </p>
    <ul v-if="connected.length">
      <li v-for="account in connected" :key="account.id">
        <p>
          <b>{{ account.name }}</b> {{ account.address }}, {{ account.server }},
          {{ countSaying(account.messages, 'message') }}
        </p>
        <p :class="{ out: !account.in_step }">
          {{ account.acting ? 'Rules act' : 'Only watched' }}; {{ account.state }}.
          <template v-if="account.alert"> The server says: {{ account.alert }}</template>
        </p>
        <SendingPart :account="account" />
        <ServerFolders :account="account" />
        <RulesThere :account="account" />
        <p class="acts thumb-row">
          <button class="text-button" type="button" @click="letAct(account, !account.acting)">
            {{ account.acting ? 'Only watch' : 'Let rules act' }}
          </button>
          <button
            class="text-button"
            type="button"
            :aria-label="`Try it: ${account.name}`"
            @click="tryIt(account)"
          >
            Try it
          </button>
          <button
            class="text-button"
            type="button"
            :aria-label="`${account.empties_trash ? 'Don’t empty its trash' : 'Empty its trash'}: ${account.name}`"
            @click="letEmpty(account, !account.empties_trash)"
          >
            {{ account.empties_trash ? 'Don’t empty its trash' : 'Empty its trash …' }}
          </button>
          <button
            class="text-button destructive"
            type="button"
            :aria-label="`Take away: ${account.name}`"
            @click="forget(account)"
          >
            Take away
          </button>
        </p>
      </li>
    </ul>
    <p v-for="sentence in sentences" :key="sentence" role="status">{{ sentence }}</p>
    <p v-if="!form">
      <button class="text-button" type="button" @click="begin">+ connect an account</button>
    </p>
    <form v-else aria-label="Mail on a server" @submit.prevent="connect">
      <label for="server-name">Called</label>
      <div data-field>
        <el-input id="server-name" v-model="form.name" placeholder="Office" />
        <FieldComplaint :saying="complaints.at('name')" />
      </div>
      <label for="server-address">Address</label>
      <div data-field>
        <el-input id="server-address" v-model="form.address" placeholder="name@domain" />
        <FieldComplaint :saying="complaints.at('address')" />
      </div>
      <label for="server-host">Server</label>
      <div data-field>
        <el-input id="server-host" v-model="form.host" placeholder="mail.domain" />
        <FieldComplaint :saying="complaints.at('host')" />
      </div>
      <label for="server-security">Security</label>
      <div data-field>
        <SecurityChoice
          id="server-security"
          :value="form.security"
          :choices="MAIL_SECURITY"
          @change="choose"
        />
        <FieldComplaint :saying="complaints.at('security')" />
      </div>
      <label for="server-port">Port</label>
      <div data-field>
        <el-input id="server-port" v-model="form.port" inputmode="numeric" />
        <FieldComplaint :saying="complaints.at('port')" />
      </div>
      <label for="server-user">User name</label>
      <div data-field>
        <el-input id="server-user" v-model="form.user" autocomplete="off" />
        <FieldComplaint :saying="complaints.at('user')" />
      </div>
      <label for="server-password">Password</label>
      <div data-field>
        <el-input
          id="server-password"
          v-model="form.password"
          type="password"
          autocomplete="new-password"
        />
        <FieldComplaint :saying="complaints.at('password')" />
      </div>
      <template v-if="form.security !== 'none'">
        <label for="server-authorities">Authorities</label>
        <div data-field>
          <el-input
            id="server-authorities"
            v-model="form.authorities"
            placeholder="a PEM file, where the certificate is your own"
          />
          <FieldComplaint :saying="complaints.at('authorities')" />
        </div>
      </template>
      <div class="wide" data-field>
        <FieldComplaint :saying="complaints.elsewhere()" />
        <el-button type="primary" native-type="submit" :loading="busy">Try and connect</el-button>
        <el-button @click="form = undefined">Leave it</el-button>
      </div>
    </form>
  </div>
</template>

<style scoped>
ul {
  padding: 0;
  list-style: none;
}

li {
  padding: 10px 0;
  border-bottom: 1px solid var(--line);
}

.out {
  color: var(--brick);
}

.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  margin-top: 4px;
}
</style>
