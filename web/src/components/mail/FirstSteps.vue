<script setup lang="ts">
/** The way in, where the message stands otherwise: each step can be left out, and goes once it is done. */
import { useStorage } from '@vueuse/core'
import { computed, ref } from 'vue'

import { api, content } from '@/api/client'
import { useMailboxAnswer } from '@/composables/useMailboxAnswer'
import { countSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

import SinceLastLook from './SinceLastLook.vue'

const acts = useActs()
const mailbox = useMailbox()
const here = Intl.DateTimeFormat().resolvedOptions().timeZone

/** The steps that were left out in this browser. */
const leftOut = useStorage<string[]>('steps-left-out', [])

/** The addresses that mail came to most; to count them is worth it only where none is known. */
async function proposals(
  signal: AbortSignal,
): Promise<{ value: string; name: string; messages: number }[]> {
  const query = { header: 'recipient', part: 'address', text: '' } as const
  const { completions } = await content(api.GET('/api/completions', { params: { query }, signal }))
  return completions.filter((completion) => completion.messages > 0)
}

const known = useMailboxAnswer(async (signal) => {
  const [{ accounts }, preferences] = await Promise.all([
    content(api.GET('/api/accounts', { signal })),
    content(api.GET('/api/preferences', { signal })),
  ])
  return { accounts, preferences, proposed: accounts.length ? [] : await proposals(signal) }
})

const hasMail = computed(() => mailbox.folders.some((folder) => folder.total > 0))
const steps = computed(() => {
  if (!known.value) return []
  const { accounts, preferences } = known.value
  const left = {
    mail: !hasMail.value,
    addresses: hasMail.value && !accounts.length,
    zone: preferences.timezone === 'UTC' && here !== 'UTC',
    rule: hasMail.value && !mailbox.rules.length,
  }
  return Object.entries(left).flatMap(([step, open]) =>
    open && !leftOut.value.includes(step) ? [step] : [],
  )
})
function has(step: string): boolean {
  return steps.value.includes(step)
}

/** The addresses that are ticked as the owner's, the one mail comes to most first. */
const mine = ref<string[]>([])

async function saveAddresses(): Promise<void> {
  const inOrder = (known.value?.proposed ?? []).filter((proposal) =>
    mine.value.includes(proposal.value),
  )
  const [first, ...others] = inOrder
  if (!first) return
  const aliases = others.map((address) => address.value)
  const body = { name: first.name || first.value, address: first.value, aliases }
  await acts.attempt(async () => {
    await content(api.POST('/api/accounts', { body }))
    return { saying: `${countSaying(inOrder.length, 'address', 'addresses')} kept as yours` }
  })
}

async function saveZone(): Promise<void> {
  const preferences = known.value?.preferences
  if (!preferences) return
  await acts.attempt(async () => {
    const body = { ...preferences, timezone: here }
    await content(api.PUT('/api/preferences', { body }))
    return { saying: `Days begin and end as in ${here}` }
  })
}
</script>

<template>
  <section class="steps" :aria-label="steps.length ? 'First steps' : undefined">
    <SinceLastLook v-if="hasMail" />
    <p v-if="!steps.length" class="hint">
      Choose a message to read it here. Arrow keys go from one to the next; ? shows all keys.
    </p>
    <template v-else>
      <h2>First steps</h2>
      <p class="hint">Each can be left out, and found again in Setup.</p>
    </template>
    <div v-if="has('mail')" class="step">
      <h3>Bring your mail</h3>
      <p>
        <RouterLink to="/setup/files">Import files</RouterLink>: messages (.eml), mbox files,
        Maildir folders, or an archive of them. Files in the <code>drop</code> folder beside the
        database are taken in by themselves, and any mail program can deliver by SMTP to the port
        that Mnemic names when it starts. Your mail there stays as it is.
      </p>
      <button class="text-button" type="button" @click="leftOut.push('mail')">Leave it out</button>
    </div>
    <div v-if="has('addresses')" class="step">
      <h3>Say which addresses are yours</h3>
      <p>Rules know by them what was sent to you alone, and what you sent yourself.</p>
      <div class="proposed" role="group" aria-label="Addresses that mail came to">
        <label v-for="proposal in known?.proposed" :key="proposal.value">
          <input v-model="mine" type="checkbox" :value="proposal.value" />
          {{ proposal.value }}
          <span class="hint">{{ countSaying(proposal.messages, 'message') }}</span>
        </label>
      </div>
      <button class="button" type="button" :disabled="!mine.length" @click="saveAddresses">
        {{ mine.length === 1 ? 'This is mine' : 'These are mine' }}
      </button>
      <button class="text-button" type="button" @click="leftOut.push('addresses')">
        Leave it out
      </button>
    </div>
    <div v-if="has('zone')" class="step">
      <h3>Where your days begin</h3>
      <p>Calendar days are those of UTC now. This computer is in {{ here }}.</p>
      <button class="button" type="button" @click="saveZone">Use {{ here }}</button>
      <button class="text-button" type="button" @click="leftOut.push('zone')">Leave it out</button>
    </div>
    <div v-if="has('rule')" class="step">
      <h3>Make the first rule from your mail</h3>
      <p>
        Open a message of a kind that comes often. Above it stand its facts: pick some, and
        <b>Make a rule</b> shows what it would take before anything happens. Or begin with an
        <RouterLink to="/rules/new">empty rule</RouterLink>.
      </p>
      <button class="text-button" type="button" @click="leftOut.push('rule')">Leave it out</button>
    </div>
  </section>
</template>

<style scoped>
.steps {
  overflow-y: auto;
  padding: 24px 28px;
  background: var(--sheet);
}

h2 {
  font: 500 24px/32px var(--type-mail);
}

h3 {
  font-size: 15px;
  font-weight: 700;
}

.hint {
  color: var(--ink-soft);
}

.step {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
  max-width: 620px;
  margin-top: 20px;
  padding-top: 14px;
  border-top: 1px solid var(--line-soft);
}

.step > h3,
.step > p,
.proposed {
  flex-basis: 100%;
}

.proposed {
  display: grid;
  gap: 6px;
  justify-items: start;
}

a {
  color: var(--spruce);
}
</style>
