<script setup lang="ts">
import { computed, ref } from 'vue'

import { api, content, type HistoryRun } from '@/api/client'
import RunDetails from '@/components/history/RunDetails.vue'
import CatchUpProgress from '@/components/shell/CatchUpProgress.vue'
import { useAnswer } from '@/composables/useAnswer'
import { countSaying, daySaying, timeSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useCatchUps } from '@/stores/catch-ups'
import { useMailbox } from '@/stores/mailbox'

const mailbox = useMailbox()
const acts = useActs()
const catchUps = useCatchUps()

const open = ref<number>()
const PAGE = 50
const MOST = 200 // the server's limit of a page
const wanted = ref(PAGE)

/** The newest runs, as many as are wanted, in as many pages as that takes. */
async function newest(signal: AbortSignal): Promise<{ runs: HistoryRun[]; more: boolean }> {
  const runs: HistoryRun[] = []
  for (;;) {
    const before = runs.at(-1)?.id
    const limit = Math.min(MOST, wanted.value - runs.length)
    const query = { limit, ...(before === undefined ? {} : { before }) }
    const page = await content(api.GET('/api/history', { params: { query }, signal }))
    runs.push(...page.runs)
    if (!page.more || runs.length >= wanted.value) return { runs, more: page.more }
  }
}
const { answer, failure } = useAnswer([() => mailbox.version, wanted], newest)
const runs = computed(() => answer.value?.runs ?? [])

interface Day {
  name: string
  runs: HistoryRun[]
}

const days = computed(() => {
  const grouped: Day[] = []
  for (const run of runs.value) {
    const name = daySaying(new Date(run.at), new Date())
    const last = grouped.at(-1)
    if (last?.name === name) last.runs.push(run)
    else grouped.push({ name, runs: [run] })
  }
  return grouped
})

/** "21 messages flagged" needs no count beside it. */
function saysHowMany(run: HistoryRun): boolean {
  return /^[\d,]+ messages? /.test(run.saying)
}

/** A catch-up that is on its way is followed and stopped here, too; then it can be undone. */
function goesOn(run: HistoryRun): boolean {
  return catchUps.job?.run_id === run.id
}

const ACTORS: Record<string, string> = {
  person: 'by you',
  rules: 'by rules',
  housekeeping: 'by itself',
}
</script>

<template>
  <main class="history">
    <h1>History</h1>
    <p class="hint">
      Whatever was done to mail, rules, folders and labels, the newest first. Each can be taken
      back; what was changed since is left alone.
    </p>
    <p v-if="failure" class="hint" role="alert">{{ failure }}</p>
    <p v-else-if="answer && !runs.length" class="hint">
      Nothing has been done yet. What you and your rules do to mail stands here then, and can be
      undone.
    </p>
    <section v-for="day in days" :key="day.name" :aria-label="day.name">
      <h2>{{ day.name }}</h2>
      <ol>
        <li
          v-for="run in day.runs"
          :key="run.id"
          :class="{ undone: run.undone, running: goesOn(run) }"
        >
          <span class="time">{{ timeSaying(new Date(run.at)) }}</span>
          <button
            v-if="run.messages && run.can_be_undone"
            class="saying text-button"
            type="button"
            :aria-expanded="open === run.id"
            @click="open = open === run.id ? undefined : run.id"
          >
            {{ run.saying }}
          </button>
          <span v-else class="saying">{{ run.saying }}</span>
          <CatchUpProgress v-if="goesOn(run)" brief />
          <template v-else>
            <span class="many">
              {{ run.messages && !saysHowMany(run) ? countSaying(run.messages, 'message') : '' }}
              {{ ACTORS[run.actor] ?? '' }}
            </span>
            <span v-if="run.undone" class="state">undone</span>
            <span v-else-if="!run.can_be_undone" class="state">for good</span>
            <button
              v-else
              class="text-button"
              type="button"
              :aria-label="`${run.undoes === null ? 'Undo' : 'Do it again'}: ${run.saying}`"
              @click="acts.undo(run.id)"
            >
              {{ run.undoes === null ? 'Undo' : 'Do it again' }}
            </button>
          </template>
          <RunDetails v-if="open === run.id" :run="run" class="details" />
        </li>
      </ol>
    </section>
    <p v-if="answer?.more">
      <button class="text-button" type="button" @click="wanted += PAGE">Earlier ones</button>
    </p>
  </main>
</template>

<style scoped>
.history {
  overflow-y: auto;
  padding: 16px 28px 32px;
  background: var(--sheet);
}

h1 {
  font: 500 24px/32px var(--type-mail);
}

h2 {
  margin: 18px 0 4px;
  font-size: 13px;
  font-weight: 600;
  color: var(--ink-soft);
}

.hint,
.time,
.many,
.state {
  color: var(--ink-soft);
}

li {
  display: grid;
  grid-template-columns: 56px minmax(0, 1fr) 190px 100px;
  gap: 4px 12px;
  align-items: baseline;
  padding: 9px 0;
  border-top: 1px solid var(--line-soft);
}

.saying {
  text-align: left;
  overflow-wrap: anywhere;
  color: var(--ink);
  font-weight: 400;
}

button.saying {
  color: var(--spruce);
  font-weight: 600;
}

.undone .saying {
  text-decoration: line-through;
  color: var(--ink-soft);
}

.many,
.state {
  text-align: right;
}

li > .text-button:not(.saying) {
  justify-self: end;
}

li.running {
  grid-template-columns: 56px minmax(0, 1fr) auto;
}

.details {
  grid-column: 2 / -1;
}

@media (min-width: 1100px) {
  .history > * {
    max-width: 1100px;
  }
}

@media (max-width: 699px) {
  .history {
    padding: 12px 14px 24px;
  }

  li,
  li.running {
    grid-template-columns: 44px minmax(0, 1fr) auto;
  }

  .saying {
    grid-column: 2 / -1;
  }

  .many {
    grid-column: 2;
    text-align: left;
  }

  .details {
    grid-column: 1 / -1;
  }
}
</style>
