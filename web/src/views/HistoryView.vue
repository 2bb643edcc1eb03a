<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'

import { api, content, type HistoryRun } from '@/api/client'
import RunDetails from '@/components/history/RunDetails.vue'
import CatchUpProgress from '@/components/shell/CatchUpProgress.vue'
import { countSaying, daySaying, timeSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useCatchUps } from '@/stores/catch-ups'
import { useMailbox } from '@/stores/mailbox'

const mailbox = useMailbox()
const acts = useActs()
const catchUps = useCatchUps()

const runs = shallowRef<readonly HistoryRun[]>([])
const more = ref(false)
const ready = ref(false)
const failure = ref('')
const open = ref<number>()
const PAGE = 50

async function load(before?: number): Promise<void> {
  const shown = before === undefined ? Math.max(PAGE, runs.value.length) : PAGE
  const query = { limit: Math.min(shown, 200), ...(before === undefined ? {} : { before }) }
  try {
    const found = await content(api.GET('/api/history', { params: { query } }))
    runs.value = before === undefined ? found.runs : [...runs.value, ...found.runs]
    more.value = found.more
    failure.value = ''
    ready.value = true
  } catch (error) {
    failure.value = error instanceof Error ? error.message : String(error)
  }
}
watch(
  () => mailbox.version,
  () => void load(),
  { immediate: true },
)

interface Day {
  name: string
  runs: HistoryRun[]
}

const days = computed(() => {
  const found: Day[] = []
  for (const run of runs.value) {
    const name = daySaying(new Date(run.at), new Date())
    const last = found.at(-1)
    if (last?.name === name) last.runs.push(run)
    else found.push({ name, runs: [run] })
  }
  return found
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
    <p v-else-if="ready && !runs.length" class="hint">Nothing has been done yet.</p>
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
            <button v-else class="text-button" type="button" @click="acts.undo(run.id)">
              {{ run.undoes === null ? 'Undo' : 'Do it again' }}
            </button>
          </template>
          <RunDetails v-if="open === run.id" :run="run" class="details" />
        </li>
      </ol>
    </section>
    <p v-if="more">
      <button class="text-button" type="button" @click="load(runs.at(-1)?.id)">Earlier ones</button>
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
</style>
