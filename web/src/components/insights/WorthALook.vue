<script setup lang="ts">
/** What is worth a look, each with its acts; what is turned away is not told again. */
import dayjs from 'dayjs'
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import type { AskedAct, WorthALook } from '@/api/client'
import { findAddress } from '@/mail/find-address'
import { countSaying, dayInSentence, spokenPath } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useLine } from '@/stores/line'
import { useMailbox } from '@/stores/mailbox'
import { useProposals } from '@/stores/proposals'
import { useWorkbench } from '@/stores/workbench'

const props = defineProps<{ look: WorthALook }>()
const mailbox = useMailbox()
const acts = useActs()
const line = useLine()
const router = useRouter()
const workbench = useWorkbench()
const proposals = useProposals()

type NeverOpened = WorthALook['never_opened'][number]

function isAway(what: string, evidence: number): boolean {
  const before = props.look.turned_away[what]
  return proposals.away.has(what) || (before !== undefined && evidence < 2 * Math.max(1, before))
}

const never = computed(() =>
  props.look.never_opened.filter((group) => !isAway(group.what, group.ids.length)),
)
function since(moment: string): string {
  return dayInSentence(new Date(moment), new Date())
}
async function makeRule(sender: NeverOpened): Promise<void> {
  workbench.startFrom(
    sender.field === 'list'
      ? { field: 'list', test: 'is', values: [sender.value], case: false }
      : { field: 'from', test: 'is', values: [sender.value], case: false, part: 'address' },
    null,
    { [sender.value]: sender.called },
  )
  await router.push('/rules/new')
}
function clear(sender: NeverOpened, what: AskedAct): void {
  void acts.act({ ids: sender.ids }, what)
}

interface Told {
  what: string
  saying: string
  to: string
  act: string
  idle?: number
}
/** Idle for a season or for a month: rules for what comes rarely wait longer. */
function idleDays(last: string): 30 | 90 {
  return dayjs().diff(last, 'day') >= 90 ? 90 : 30
}
/** Rules, folders and labels, each with the place where something can be done about it. */
const others = computed(() => {
  const findings: Told[] = []
  const rules = new Map(mailbox.rules.map((stored) => [stored.id, stored.rule]))
  for (const { rule_id, last } of props.look.idle_rules) {
    const rule = rules.get(rule_id)
    if (!rule?.enabled) continue
    const saying = last
      ? `“${rule.name}” has taken nothing for ${idleDays(last)} days; the last was ${since(last)}`
      : `“${rule.name}” has taken nothing yet`
    const what = `idle ${rule_id}`
    findings.push({ what, saying, to: `/rules/${rule_id}`, act: 'Open', idle: rule_id })
  }
  for (const finding of line.findings) {
    const name = rules.get(finding.rule_id)?.name ?? ''
    const saying = `“${name}”: ${finding.saying.charAt(0).toLowerCase()}${finding.saying.slice(1)}`
    const what = `${finding.kind} ${finding.rule_id} ${finding.by.join(' ')}`
    findings.push({ what, saying, to: `/rules/${finding.rule_id}`, act: 'Open' })
  }
  for (const { rule_id, message, wrong } of line.broken) {
    findings.push({
      what: `example ${rule_id} ${message.id}`,
      saying: `“${rules.get(rule_id)?.name ?? ''}”, with the example “${message.subject ?? ''}”: ${wrong}`,
      to: `/rules/${rule_id}`,
      act: 'Open',
    })
  }
  for (const folder of mailbox.folders) {
    const to = `/mail/folder/${folder.id}`
    if (folder.due) {
      findings.push({
        what: `due ${folder.id}`,
        saying: `${spokenPath(folder.path)} is due: ${countSaying(folder.unread, 'message')} unread`,
        to,
        act: 'Look in',
      })
    } else if (!folder.role && folder.looked_at === null && folder.unread) {
      findings.push({
        what: `never ${folder.id}`,
        saying: `${spokenPath(folder.path)} was never looked into: ${countSaying(folder.unread, 'message')} unread`,
        to,
        act: 'Look in',
      })
    }
  }
  for (const label of mailbox.labels.filter((known) => !known.total)) {
    findings.push({
      what: `label ${label.id}`,
      saying: `No message has the label “${label.name}”`,
      to: '/setup/labels',
      act: 'Labels',
    })
  }
  return findings.filter((item) => !isAway(item.what, 1))
})
</script>

<template>
  <section v-if="never.length" aria-label="Never opened">
    <h2>Never opened</h2>
    <ul>
      <li v-for="group in never" :key="group.what">
        <p>
          <RouterLink class="who" :to="findAddress(group.search)">{{ group.called }}</RouterLink>
          {{ countSaying(group.ids.length, 'message') }} since {{ since(group.since) }}
        </p>
        <p class="acts thumb-row">
          <a
            v-if="group.unsubscribe[0]"
            class="text-button"
            :href="group.unsubscribe[0]"
            target="_blank"
            rel="noopener noreferrer"
            >How to stop it</a
          >
          <button class="text-button" type="button" @click="makeRule(group)">Make a rule</button>
          <button class="text-button" type="button" @click="clear(group, { do: { do: 'trash' } })">
            Trash all {{ group.ids.length.toLocaleString('en-GB') }}
          </button>
          <button
            class="text-button"
            type="button"
            @click="clear(group, { do: { do: 'archive' } })"
          >
            Archive
          </button>
          <button class="text-button" type="button" @click="clear(group, { do: { do: 'read' } })">
            Mark as read
          </button>
          <button
            class="text-button"
            type="button"
            :aria-label="`Not this: ${group.called}`"
            @click="proposals.turnAway(group.what, group.ids.length)"
          >
            Not this
          </button>
        </p>
      </li>
    </ul>
  </section>
  <section v-if="others.length" aria-label="Worth a look">
    <h2>Worth a look</h2>
    <ul>
      <li v-for="item in others" :key="item.what" class="told">
        <span>{{ item.saying }}</span>
        <span class="acts thumb-row">
          <RouterLink
            class="text-button"
            :to="item.to"
            :aria-label="`${item.act}: ${item.saying}`"
            >{{ item.act }}</RouterLink
          >
          <button
            v-if="item.idle !== undefined"
            class="text-button"
            type="button"
            :aria-label="`Switch off: ${item.saying}`"
            @click="line.act([item.idle], 'switch_off')"
          >
            Switch off
          </button>
          <button
            class="text-button"
            type="button"
            :aria-label="`Not this: ${item.saying}`"
            @click="proposals.turnAway(item.what, 1)"
          >
            Not this
          </button>
        </span>
      </li>
    </ul>
  </section>
</template>

<style scoped>
section {
  margin-top: 24px;
}

h2 {
  padding-bottom: 6px;
  border-bottom: 1px solid var(--line);
  font-size: 13px;
  font-weight: 600;
  color: var(--ink-soft);
}

li {
  padding: 9px 0;
  border-bottom: 1px solid var(--line);
}

p {
  color: var(--ink-soft);
}

.who {
  font-weight: 600;
  color: var(--ink);
  text-decoration: none;
}

.who:hover {
  text-decoration: underline;
}

.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 14px;
  margin-top: 4px;
}

.acts a {
  text-decoration: none;
}

.told {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  justify-content: space-between;
}

.told .acts {
  margin: 0;
}
</style>
