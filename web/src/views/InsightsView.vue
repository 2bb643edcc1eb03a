<script setup lang="ts">
import { computed, onScopeDispose, ref, shallowRef } from 'vue'

import { api, content, type Account } from '@/api/client'
import FlowPicture from '@/components/insights/FlowPicture.vue'
import HoursPicture from '@/components/insights/HoursPicture.vue'
import InboxPicture from '@/components/insights/InboxPicture.vue'
import MailBehind from '@/components/insights/MailBehind.vue'
import PictureFrame from '@/components/insights/PictureFrame.vue'
import ProposalList from '@/components/insights/ProposalList.vue'
import SparedPart from '@/components/insights/SparedPart.vue'
import WorthALook from '@/components/insights/WorthALook.vue'
import { useKeys } from '@/composables/useKeys'
import { usePacedAnswer } from '@/composables/usePacedAnswer'
import { WEEKDAYS, type Mark } from '@/insights/marks'
import { stillThere } from '@/insights/still-there'
import { findAddress } from '@/mail/find-address'
import { countSaying } from '@/rules/sayings'
import { useLine } from '@/stores/line'
import { useMailbox } from '@/stores/mailbox'
import { useProposals } from '@/stores/proposals'

const PERIODS = [
  ['7', '7 days'],
  ['30', '30 days'],
  ['90', '90 days'],
  ['all', 'all'],
] as const

const mailbox = useMailbox()
const proposals = useProposals()
const line = useLine()
line.watching = true
onScopeDispose(() => (line.watching = false))

const days = ref<(typeof PERIODS)[number][0]>('30')
const account = ref('')
const accounts = ref<readonly Account[]>([])
void content(api.GET('/api/accounts'))
  .then((connections) => (accounts.value = connections.accounts))
  .catch(() => {
    // without the list the pictures are of all mail
  })

const changed = ref(0)
const version = (): number => mailbox.version
const { answer: mail, failure } = usePacedAnswer([days, account, changed], version, (signal) => {
  const query = { days: days.value, account: account.value }
  return content(api.GET('/api/insights', { params: { query }, signal }))
})
const { answer: look } = usePacedAnswer([], version, (signal) =>
  content(api.GET('/api/worth-a-look', { signal })),
)
const { failure: unlearnt } = usePacedAnswer([], version, proposals.look)

/** All pictures as tables, or as pictures. */
const tables = ref(false)
useKeys({ t: { outsideText: true, do: () => (tables.value = !tables.value) } })

const CAME = ['inbox', 'elsewhere'] as const
function counts(came: Mark['came']): readonly (readonly number[])[] {
  return (came === 'inbox' ? mail.value?.reached : mail.value?.spared) ?? []
}

/** The mark whose mail is looked at, and what had the focus before. */
const opened = shallowRef<Mark>()
let before: HTMLElement | null = null
function open(mark: Mark): void {
  before = document.activeElement as HTMLElement | null
  opened.value = mark
}
function close(): void {
  opened.value = undefined
  before?.focus()
}

const spoken = computed(() => (days.value === 'all' ? '' : ` in ${days.value} days`))
const went = computed(() => {
  const now = mail.value
  if (!now) return ''
  const taken = now.taken.toLocaleString('en-GB')
  return `${countSaying(now.messages, 'message')}${spoken.value}. Rules took ${taken} of them.`
})
const reached = computed(() => (mail.value?.messages ?? 0) - (mail.value?.kept_away ?? 0))
const interrupts = computed(
  () =>
    `${countSaying(reached.value, 'message')} reached the inbox, ${(mail.value?.kept_away ?? 0).toLocaleString('en-GB')} were put elsewhere by rules as they came.`,
)
const lies = computed(() => {
  const [first, last] = [mail.value?.inbox[0], mail.value?.inbox.at(-1)]
  if (!first || !last) return ''
  return `${countSaying(last.lies, 'message')} lie in the inbox, ${last.unread.toLocaleString('en-GB')} unread; on the first of these days there were ${first.lies.toLocaleString('en-GB')}, ${first.unread.toLocaleString('en-GB')} unread.`
})
</script>

<template>
  <main class="insights">
    <div class="pictures" role="region" aria-label="Pictures" tabindex="-1">
      <header>
        <h1>Insights</h1>
        <el-radio-group v-model="days" aria-label="Over which days">
          <el-radio-button v-for="[value, label] in PERIODS" :key="value" :value="value">{{
            label
          }}</el-radio-button>
        </el-radio-group>
        <el-select
          v-if="accounts.length > 1"
          v-model="account"
          class="account"
          aria-label="Of which account"
          :teleported="false"
        >
          <el-option value="" label="all accounts" />
          <el-option
            v-for="listed in accounts"
            :key="listed.id"
            :value="listed.address"
            :label="listed.name"
          />
        </el-select>
      </header>
      <p v-if="failure" role="alert">{{ failure }}</p>
      <p v-else-if="mail && !mail.messages" class="hint">
        No mail came{{ spoken }}. Once some has, its way is drawn here.
      </p>
      <template v-else-if="mail">
        <PictureFrame title="Where mail went" :said="went" :tables="tables">
          <template #picture><FlowPicture :mail="mail" /></template>
          <template #table>
            <table>
              <thead>
                <tr>
                  <th>Came to, came as</th>
                  <th>Lies in</th>
                  <th class="number">Messages</th>
                  <th>Taken by</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="band in mail.bands" :key="band.search">
                  <td>{{ mail.sources[band.source]?.name }}</td>
                  <td>{{ mail.places[band.place]?.name }}</td>
                  <td class="number">
                    <RouterLink :to="findAddress(band.search)">{{
                      band.messages.toLocaleString('en-GB')
                    }}</RouterLink>
                  </td>
                  <td>
                    {{ band.rules.map((rule) => `${rule.name} ${rule.messages}`).join(', ') }}
                  </td>
                </tr>
              </tbody>
            </table>
          </template>
        </PictureFrame>
        <SparedPart
          :kept-away="mail.kept_away"
          :messages="mail.messages"
          :minutes="mail.minutes"
          @changed="changed += 1"
          @open="open({ came: 'elsewhere' })"
        />
        <PictureFrame title="When it interrupts" :said="interrupts" :tables="tables">
          <template #key>
            <span class="key"><i class="reached"></i>reached the inbox</span>
            <span class="key"><i class="spared"></i>taken away by rules</span>
          </template>
          <template #picture>
            <HoursPicture :reached="mail.reached" :spared="mail.spared" @open="open" />
          </template>
          <template #table>
            <table>
              <thead>
                <tr>
                  <th>Day and hour</th>
                  <th class="number">Reached the inbox</th>
                  <th class="number">Taken away</th>
                </tr>
              </thead>
              <tbody>
                <template v-for="(day, at) in WEEKDAYS" :key="day">
                  <template v-for="hour in 24" :key="hour">
                    <tr v-if="mail.reached[at]?.[hour - 1] || mail.spared[at]?.[hour - 1]">
                      <td>{{ day }}, {{ hour - 1 }}:00</td>
                      <td v-for="came in CAME" :key="came" class="number">
                        <button
                          class="text-button"
                          type="button"
                          @click="open({ came, weekday: at, hour: hour - 1 })"
                        >
                          {{ counts(came)[at]?.[hour - 1] }}
                        </button>
                      </td>
                    </tr>
                  </template>
                </template>
              </tbody>
            </table>
          </template>
        </PictureFrame>
        <PictureFrame title="The inbox over time" :said="lies" :tables="tables">
          <template #key>
            <span class="key"><i class="lies"></i>lies in it</span>
            <span class="key"><i class="reached"></i>of it unread</span>
          </template>
          <template #picture><InboxPicture :days="mail.inbox" /></template>
          <template #table>
            <table>
              <thead>
                <tr>
                  <th>End of</th>
                  <th class="number">In the inbox</th>
                  <th class="number">Unread</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="dayCounts in mail.inbox.slice().reverse()" :key="dayCounts.day">
                  <td>
                    <RouterLink :to="findAddress(stillThere(dayCounts.day))">{{
                      dayCounts.day
                    }}</RouterLink>
                  </td>
                  <td class="number">{{ dayCounts.lies.toLocaleString('en-GB') }}</td>
                  <td class="number">{{ dayCounts.unread.toLocaleString('en-GB') }}</td>
                </tr>
              </tbody>
            </table>
          </template>
        </PictureFrame>
      </template>
    </div>
    <aside :aria-label="opened ? 'Its mail' : 'What to do next'">
      <MailBehind v-if="opened" :mark="opened" :days="days" :account="account" @close="close" />
      <template v-else>
        <section aria-label="You do this by hand">
          <h2>You do this by hand</h2>
          <p v-if="unlearnt" role="alert">{{ unlearnt }}</p>
          <ProposalList v-else-if="proposals.all.length" :proposals="proposals.all" />
          <p v-else-if="proposals.ready" class="hint">
            What you do with alike mail again and again, on two days at least, is proposed here as a
            rule, with its evidence.
          </p>
        </section>
        <WorthALook v-if="look" :look="look" />
      </template>
    </aside>
  </main>
</template>

<style scoped>
.insights {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(320px, 428px);
}

.pictures {
  overflow-y: auto;
  min-height: 0;
  padding: 16px 28px 32px;
}

.pictures > :deep(*) {
  max-width: 1000px;
}

header {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 20px;
  align-items: center;
  margin-bottom: 16px;
}

h1 {
  font: 500 24px/32px var(--type-mail);
}

.account {
  width: 200px;
}

aside {
  overflow-y: auto;
  min-height: 0;
  padding: 20px 22px 32px;
  background: var(--sheet);
  border-left: 1px solid var(--line);
}

h2 {
  padding-bottom: 6px;
  border-bottom: 1px solid var(--line);
  font-size: 13px;
  font-weight: 600;
  color: var(--ink-soft);
}

.insights :deep(td a) {
  color: var(--spruce);
}

.hint {
  padding: 10px 0;
  color: var(--ink-soft);
}

.key {
  font-size: 12px;
  color: var(--ink-soft);
}

i {
  display: inline-block;
  width: 9px;
  height: 9px;
  margin-right: 5px;
}

i.reached {
  background: var(--marigold);
}

i.spared {
  background: var(--line);
  border: 1px solid var(--ink-soft);
}

i.lies {
  height: 2px;
  background: var(--spruce);
  vertical-align: 3px;
}

@media (max-width: 1099px) {
  .insights {
    display: block;
    overflow-y: auto;
  }

  .pictures,
  aside {
    overflow: visible;
  }

  aside {
    border-width: 1px 0 0;
  }
}

@media (max-width: 699px) {
  .pictures,
  aside {
    padding: 12px 16px 24px;
  }
}
</style>
