<script setup lang="ts">
/** Where an account's rules run: here, or on its server as far as it can; and the way back. */
import { computed, nextTick, ref, watch } from 'vue'

import { api, content, type Connection, type RulesWhere } from '@/api/client'
import { useMailboxAnswer } from '@/composables/useMailboxAnswer'
import type { Security } from '@/mail/securities'
import { countSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { ask } from '@/stores/asking'

import GradeList from './GradeList.vue'
import HandOverForm from './HandOverForm.vue'

const props = defineProps<{ account: Connection }>()

const acts = useActs()
const params = computed(() => ({ path: { id: props.account.id } }))
const where = useMailboxAnswer((signal) =>
  content(api.GET('/api/connections/{id}/script', { params: params.value, signal })),
)
const open = ref(false)
const form = ref<{ focus: () => void }>()
const again = ref<HTMLButtonElement>()
const busy = ref(false)

const there = computed(() => (where.value?.runs === 'here' ? undefined : where.value))
const carried = computed(() => there.value?.grades.filter((graded) => graded.written).length ?? 0)

/** What the line of this part says while rules run on the server, or may. */
function runsSaying(now: RulesWhere): string {
  const name = now.name ?? ''
  if (now.runs === 'handing over') {
    return 'Handing over was broken off; the next look at the server tells where rules run'
  }
  if (now.runs === 'bringing back') return 'Rules are being brought back; the next look ends it'
  const rules = countSaying(carried.value, 'rule')
  const runs = now.asks ? 'Handed over to the server' : 'On the server as far as it can'
  return `${runs}: ${rules} of ${String(now.grades.length)}, as “${name}”`
}

/** The button that had the focus is gone with the side on which rules ran. */
watch(
  () => where.value?.runs,
  async (_now, before) => {
    await nextTick()
    if (before && document.activeElement === document.body) again.value?.focus()
  },
)

async function begin(): Promise<void> {
  open.value = true
  await nextTick()
  form.value?.focus()
}

async function leave(): Promise<void> {
  open.value = false
  await nextTick()
  again.value?.focus()
}

async function runOursAgain(now: RulesWhere): Promise<void> {
  const { server } = now
  if (!server) return
  const question =
    'Our script is put there as the line is now, and runs. What runs there at present is kept ' +
    'here and there, under its name, and comes back when rules run here again.'
  if (!(await ask(question, 'Let the rules run there again?', 'Run ours'))) return
  busy.value = true
  await acts.attempt(async () => {
    const body = { ...server, security: server.security as Security }
    await content(api.PUT('/api/connections/{id}/script', { params: params.value, body }))
    return { saying: `The server runs the rules of “${props.account.name}” again` }
  })
  busy.value = false
}

async function bringBack(now: RulesWhere): Promise<void> {
  busy.value = true
  await acts.attempt(async () => {
    await content(api.DELETE('/api/connections/{id}/script', { params: params.value }))
    const before = now.before && !now.asks ? `; “${now.before}” runs on the server as before` : ''
    return { saying: `The rules of “${props.account.name}” run here again${before}` }
  })
  busy.value = false
  open.value = false
  await nextTick()
  again.value?.focus()
}
</script>

<template>
  <section :aria-label="`Where the rules of ${account.name} run`">
    <template v-if="there">
      <p>
        <span class="what">Where rules run</span> {{ runsSaying(there) }}.
        <template v-if="there.before">“{{ there.before }}” ran there before.</template>
      </p>
      <p v-if="there.trouble" class="trouble" role="alert">
        {{ there.trouble.charAt(0).toUpperCase() + there.trouble.slice(1) }}.
        <template v-if="there.asks">Until you choose, what runs there rests here.</template>
      </p>
      <p class="acts thumb-row">
        <button
          ref="again"
          class="text-button"
          type="button"
          :aria-expanded="open"
          @click="open = !open"
        >
          Which runs where
        </button>
        <button
          v-if="there.asks"
          class="text-button"
          type="button"
          :disabled="busy"
          @click="runOursAgain(there)"
        >
          Run ours there again
        </button>
        <button class="text-button" type="button" :disabled="busy" @click="bringBack(there)">
          Run them here again
        </button>
      </p>
      <GradeList v-if="open" :grades="there.grades" where />
    </template>
    <template v-else>
      <p class="acts thumb-row">
        <span><span class="what">Where rules run</span> Here, while Mnemic is open.</span>
        <button v-if="!open" ref="again" class="text-button" type="button" @click="begin">
          Let the server run them …
        </button>
      </p>
      <HandOverForm
        v-if="open"
        ref="form"
        :account="account"
        :place="where?.server ?? undefined"
        @leave="leave"
      />
    </template>
  </section>
</template>

<style scoped>
.what {
  margin-right: 8px;
  color: var(--ink-soft);
}

.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 16px;
  margin: 2px 0;
}

.trouble {
  color: var(--brick);
}
</style>
