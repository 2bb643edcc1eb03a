<script setup lang="ts">
import { computed, onMounted, ref, shallowRef, watch } from 'vue'

import { catchUpBody } from '@/api/bodies'
import { api, content, type CatchUpAsked, type CatchUpPreview, type Which } from '@/api/client'
import { countSaying, spokenPath } from '@/rules/sayings'
import { askAboutLargeMove } from '@/stores/acts'
import DayField from '@/components/shell/DayField.vue'
import { useFollower } from '@/composables/useFollower'
import { useCatchUps } from '@/stores/catch-ups'
import { useMailbox } from '@/stores/mailbox'

const props = defineProps<{
  /** The rules that are chosen at first. */
  ruleIds: readonly number[]
  /** Mail that was chosen before this was opened: a selection, or all of a list. */
  mail?: { which: Which; saying: string } | undefined
  /** What Back leads to. */
  back: string
}>()
const emit = defineEmits<{ close: [] }>()
const mailbox = useMailbox()
const catchUps = useCatchUps()

const chosen = ref<ReadonlySet<number>>(new Set(props.ruleIds))
/** Only where other rules are meant: the same ones come anew whenever mail comes in. */
watch(
  () => props.ruleIds.join(),
  () => (chosen.value = new Set(props.ruleIds)),
)
const rules = computed(() => mailbox.rules.filter((rule) => chosen.value.has(rule.id)))

function choose(id: number, on: boolean): void {
  const next = new Set(chosen.value)
  if (on) next.add(id)
  else next.delete(id)
  chosen.value = next
}

function chooseAll(): void {
  const on = mailbox.rules.filter((rule) => rule.rule.enabled)
  chosen.value = new Set(on.map((rule) => rule.id))
}

/**
 * Which mail: what was chosen before, all but Sent, Junk and Trash, these too, what a search finds,
 * or a folder by its id.
 */
const among = ref<'given' | 'usual' | 'everywhere' | 'find' | number>(
  props.mail ? 'given' : 'usual',
)
const below = ref(true)
const find = ref('')
const since = ref('')
const until = ref('')
const respects = ref(true)
/** Also what a rule above, that is not chosen, places or stops. */
const takesLeft = ref(false)

const path = computed(() => mailbox.folders.find((folder) => folder.id === among.value)?.path)
const hasBelow = computed(() =>
  mailbox.folders.some((folder) => path.value && folder.path.startsWith(`${path.value}/`)),
)

const which = computed<Which | null>(() => {
  if (among.value === 'usual' || among.value === 'everywhere') return null
  if (among.value === 'given') return props.mail?.which ?? null
  if (among.value === 'find') return { find: find.value }
  return { folder: among.value, below: below.value }
})

function day(value: string): string | null {
  return value ? new Date(`${value}T00:00:00`).toISOString() : null
}

const asked = computed<CatchUpAsked>(() => ({
  rule_ids: rules.value.map((rule) => rule.id),
  which: which.value,
  since: day(since.value),
  until: day(until.value),
  everywhere: among.value === 'everywhere',
  respects: respects.value,
  takes_left: takesLeft.value,
}))
/** Until something is typed into it, a search means nothing. */
const incomplete = computed(
  () => rules.value.length === 0 || (among.value === 'find' && !find.value.trim()),
)

const PAUSE = 150 // milliseconds in which more may be typed
const MAIL_PAUSE = 1000 // milliseconds in which more mail may come in
const preview = shallowRef<CatchUpPreview>()
const question = computed(() => JSON.stringify(asked.value))
const answered = ref('')
const { soon, looking, waiting, failure } = useFollower(async (signal) => {
  const seen = mailbox.version
  const mine = question.value
  if (incomplete.value) {
    preview.value = undefined
    answered.value = mine
    return
  }
  try {
    const previewed = await content(
      api.POST('/api/catch-ups/preview', { body: catchUpBody(asked.value), signal }),
    )
    if (signal.aborted) return
    preview.value = previewed
    answered.value = mine
  } finally {
    if (!signal.aborted && mailbox.version !== seen) soon(MAIL_PAUSE)
  }
})
/** What is on the screen may be of another question than the one that the form asks. */
const counting = computed(
  () => !incomplete.value && (looking.value || answered.value !== question.value),
)
watch(
  question,
  () => {
    soon(PAUSE)
  },
  { immediate: true },
)
/** Counting may take seconds; while mail pours in it is not begun anew before it has ended. */
watch(
  () => mailbox.version,
  () => {
    if (!looking.value && !waiting.value) soon(MAIL_PAUSE)
  },
)
/** The rule that is applied is in sight, however far down the line it stands. */
const ruleList = ref<HTMLElement>()
onMounted(() => {
  ruleList.value?.querySelector('.is-checked')?.scrollIntoView({ block: 'nearest' })
})

const report = computed(() => preview.value?.report)
const changed = computed(() => report.value?.changed ?? 0)
const places = computed(() =>
  Object.entries(report.value?.moved_to ?? {}).flatMap(([id, places]) => {
    const where = mailbox.connected.length ? `, ${mailbox.nameOf(Number(id))}` : ''
    return Object.entries(places).map(([folder, count]) =>
      folder.startsWith('/')
        ? `${number(count)} erased${where}`
        : `${number(count)} to ${spokenPath(folder)}${where}`,
    )
  }),
)
/** What is left to rules above that are not chosen: "17 are left to Mooring permits, above". */
const left = computed(() =>
  Object.entries(report.value?.left ?? {}).map(([id, count]) => {
    const name = mailbox.rules.find((rule) => rule.id === Number(id))?.rule.name ?? 'another rule'
    return `${countSaying(count, 'is', 'are')} left to ${name}, above`
  }),
)

function share(id: number): string {
  const ruleShare = report.value?.by_rule[String(id)]
  if (!chosen.value.has(id) || !report.value) return ''
  if (!ruleShare?.taken) return 'takes none'
  const overruled = ruleShare.overruled ? `, overruled for ${number(ruleShare.overruled)}` : ''
  return `takes ${number(ruleShare.taken)}${overruled}`
}

function number(count: number): string {
  return count.toLocaleString('en-GB')
}

async function run(): Promise<void> {
  const now = asked.value
  const question = preview.value?.question
  if (question && !(await askAboutLargeMove(question))) return
  emit('close')
  await catchUps.start(now)
}
</script>

<template>
  <section class="catch-up" aria-label="Catch-up">
    <p>
      <button class="text-button" type="button" @click="emit('close')">← {{ back }}</button>
    </p>
    <h2>
      Catch-up with
      {{ rules.length === 1 ? `“${rules[0]?.rule.name}”` : countSaying(rules.length, 'rule') }}
    </h2>
    <fieldset>
      <legend>
        Rules, in their order
        <button class="text-button" type="button" @click="chooseAll">all that are on</button>
        <button class="text-button" type="button" @click="chosen = new Set()">none</button>
      </legend>
      <ul ref="ruleList" class="rules" aria-label="Rules to apply">
        <li v-for="stored in mailbox.rules" :key="stored.id">
          <el-checkbox
            :model-value="chosen.has(stored.id)"
            @update:model-value="(on: string | number | boolean) => choose(stored.id, on === true)"
            >{{ stored.rule.name }}{{ stored.rule.enabled ? '' : ' (off)' }}</el-checkbox
          >
          <span class="share">{{ share(stored.id) }}</span>
        </li>
      </ul>
    </fieldset>
    <form aria-label="Which mail" @submit.prevent="run">
      <label for="catch-up-mail">Mail</label>
      <el-select
        id="catch-up-mail"
        v-model="among"
        aria-label="Mail"
        filterable
        :teleported="false"
      >
        <el-option v-if="mail" value="given" :label="mail.saying" />
        <el-option value="usual" label="all but Sent, Junk and Trash" />
        <el-option value="everywhere" label="all, Sent, Junk and Trash too" />
        <el-option value="find" label="that a search finds" />
        <el-option
          v-for="folder in mailbox.folders"
          :key="folder.id"
          :value="folder.id"
          :label="`in ${spokenPath(folder.path)}`"
        />
      </el-select>
      <el-checkbox v-if="hasBelow" v-model="below" class="beside">and those below it</el-checkbox>
      <input
        v-if="among === 'find'"
        v-model="find"
        class="field beside"
        type="search"
        aria-label="Search for the mail"
        placeholder="as in Find: from:ferrow permit"
      />
      <label for="catch-up-since">Received from</label>
      <div class="dates">
        <DayField id="catch-up-since" v-model="since" name="Received from" />
        <label for="catch-up-until">and before</label>
        <DayField id="catch-up-until" v-model="until" name="and before" />
      </div>
      <el-checkbox v-model="respects" class="wide"
        >Leave alone what I changed after a rule acted on it</el-checkbox
      >
    </form>
    <p v-if="failure" class="hint" role="alert">{{ failure }}</p>
    <p v-else-if="incomplete" class="hint">
      {{ rules.length ? 'Write what to search for.' : 'Choose the rules to apply.' }}
    </p>
    <p v-else-if="!preview || !report" class="hint" role="status">Counting …</p>
    <template v-else>
      <p class="counts" role="status" :aria-busy="counting">
        Of {{ countSaying(preview.examined, 'message') }},
        {{ countSaying(report.taken, 'is taken', 'are taken') }}:
        <b>{{ countSaying(changed, 'changes', 'change') }}</b>, {{ number(report.unchanged) }} in
        order already<template v-if="report.respected"
          >, {{ number(report.respected) }} left as you put them</template
        >. Nothing has happened yet.
      </p>
      <p v-if="left.length || takesLeft" class="left">
        {{ left.length ? `${left.join('; ')}. ` : '' }}
        <el-checkbox v-model="takesLeft">Take them too</el-checkbox>
      </p>
      <ul v-if="changed" aria-label="What will happen">
        <li v-for="place in places" :key="place">{{ place }}</li>
        <li v-if="report.labelled">{{ number(report.labelled) }} labelled</li>
        <li v-if="report.marked">{{ number(report.marked) }} marked</li>
      </ul>
      <p v-if="changed" class="hint">
        Nothing is lost: undo any time in the next {{ countSaying(mailbox.undoDays, 'day') }}.
      </p>
      <el-button
        type="primary"
        :disabled="changed === 0 || counting || !!catchUps.job"
        @click="run"
        >{{ changed ? `Catch up ${number(changed)}` : 'Nothing to catch up' }}</el-button
      >
    </template>
  </section>
</template>

<style scoped>
.catch-up {
  display: grid;
  gap: 12px;
  align-content: start;
  overflow-y: auto;
  padding: 12px 16px 24px;
  background: var(--sheet);
}

h2 {
  font: 500 20px/26px var(--type-mail);
  overflow-wrap: anywhere;
}

fieldset {
  min-width: 0;
  margin: 0;
  padding: 0;
  border: 0;
}

legend {
  display: flex;
  gap: 14px;
  color: var(--ink-soft);
}

.rules {
  max-height: 210px;
  overflow-y: auto;
  margin-top: 4px;
  padding: 4px 10px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
}

.rules li {
  display: flex;
  gap: 12px;
  align-items: center;
  justify-content: space-between;
}

.share {
  color: var(--ink-soft);
  white-space: nowrap;
}

form {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr);
  gap: 8px;
  align-items: center;
}

.dates {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}

.left {
  padding: 4px 12px;
  border-left: 3px solid var(--marigold);
  background: var(--marigold-wash);
}

.beside {
  grid-column: 2;
}

.wide {
  grid-column: 1 / -1;
}

.hint,
label {
  color: var(--ink-soft);
}

[aria-busy='true'] {
  opacity: 0.6;
}

ul:not(.rules) {
  display: grid;
  gap: 3px;
  padding-left: 12px;
}

.catch-up > .el-button {
  justify-self: start;
}
</style>
