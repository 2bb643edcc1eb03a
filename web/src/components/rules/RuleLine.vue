<script setup lang="ts">
import { useNow } from '@vueuse/core'
import { computed, nextTick, ref } from 'vue'
import { VueDraggable } from 'vue-draggable-plus'
import { useRouter } from 'vue-router'

import type { StoredRule } from '@/api/client'
import { useLaidOut } from '@/composables/useLaidOut'
import { useOwnOrder } from '@/composables/useOwnOrder'
import { useNarrow } from '@/composables/useRoom'
import { dayOf, seasonOf } from '@/rules/season'
import { ruleColour } from '@/rules/colours'
import { fits } from '@/rules/line-filter'
import { ROW, streamOf, WIDTH } from '@/rules/stream'
import { useLine, type LineAct } from '@/stores/line'
import { useMailbox } from '@/stores/mailbox'
import { useWorkbench } from '@/stores/workbench'

import DocumentMenu from './DocumentMenu.vue'
import LineRow from './LineRow.vue'

const emit = defineEmits<{ catchUp: [ruleIds: number[]] }>()
const mailbox = useMailbox()
const workbench = useWorkbench()
const line = useLine()
const router = useRouter()
const narrow = useNarrow() // under a title of its own

const {
  items: rules,
  begin,
  end,
  move: moveBy,
} = useOwnOrder(
  () => mailbox.rules,
  (ids) => line.reorder(ids),
)

const typed = ref('')
const filtered = computed(() => typed.value.trim() !== '')
const shown = computed(() => rules.value.filter((rule) => fits(rule, typed.value)))
/** Dragging waits until all are there: it puts them all into an order. */
const { laid, whole } = useLaidOut(shown)

const now = useNow({ interval: 60_000 }) // milliseconds: a day may begin while the line is open
const today = computed(() => dayOf(now.value, mailbox.timezone))

const stream = computed(() => streamOf(mailbox.rules, mailbox.line.arrived))
function colour(stored: StoredRule): string {
  return ruleColour(stored, mailbox.colourOf)
}
const colours = computed(() => new Map(mailbox.rules.map((rule) => [rule.id, colour(rule)])))

/** What is said of a rule in its row besides what it is: where none of it changes, the row stays. */
function saidOf({ id, rule }: StoredRule): unknown[] {
  const notes = (line.byRule.get(id) ?? []).join()
  const current = workbench.ruleId === id
  const mine = [current, chosen.value.has(id), workbench.unsaved(id)]
  return [...mine, colours.value.get(id), seasonOf(rule, today.value), notes]
}

const chosen = ref<ReadonlySet<number>>(new Set())
const acting = computed(() => mailbox.rules.filter((rule) => chosen.value.has(rule.id)))

function toggle(id: number): void {
  const next = new Set(chosen.value)
  if (!next.delete(id)) next.add(id)
  chosen.value = next
}

/** Shift takes all between the last one chosen and this one. */
function extend(index: number): void {
  const last = shown.value.findLastIndex((rule) => chosen.value.has(rule.id))
  const from = last < 0 ? index : last
  const between = shown.value.slice(Math.min(from, index), Math.max(from, index) + 1)
  chosen.value = new Set([...chosen.value, ...between.map((rule) => rule.id)])
}

async function act(what: LineAct): Promise<void> {
  const done = await line.act(
    acting.value.map((rule) => rule.id),
    what,
  )
  if (done) chosen.value = new Set()
}

async function move(stored: StoredRule, by: number): Promise<void> {
  if (!(await moveBy(stored.id, by))) return
  await nextTick()
  document.querySelector<HTMLElement>(`[data-rule="${stored.id}"]`)?.focus()
}

/** Arrows go from rule to rule; the list need not be left by Tab. */
function step(index: number, by: number): void {
  const next = shown.value[index + by]
  if (next) document.querySelector<HTMLElement>(`[data-rule="${next.id}"]`)?.focus()
}

function press(event: MouseEvent, stored: StoredRule, index: number): void {
  if (event.shiftKey) extend(index)
  else if (event.ctrlKey || event.metaKey) toggle(stored.id)
  else void router.push(`/rules/${stored.id}`)
}

const enabled = computed(() =>
  mailbox.rules.filter((rule) => rule.rule.enabled).map((rule) => rule.id),
)
const documentQuery = computed(() => acting.value.map((rule) => `ids=${rule.id}`).join('&'))
</script>

<template>
  <section class="line" aria-label="The line">
    <header>
      <h2>{{ narrow ? 'Last 30 days' : 'The line, last 30 days' }}</h2>
      <DocumentMenu @catch-up="emit('catchUp', enabled)" />
      <RouterLink class="new" to="/rules/new" title="New rule (N)">New rule</RouterLink>
    </header>
    <input
      v-model="typed"
      class="field filter"
      type="search"
      placeholder="Filter by name or what it does"
      aria-label="Filter the line"
      @keydown.esc.stop="typed = ''"
    />
    <p v-if="line.total > line.findings.length" class="found">
      The order check finds {{ line.total.toLocaleString('en-GB') }} things; open a rule to see its
      own.
    </p>
    <p
      v-if="acting.length"
      class="acting thumb-row"
      role="toolbar"
      aria-label="What to do with these rules"
    >
      <b>{{ acting.length }} selected</b>
      <button class="text-button" type="button" @click="act('switch_on')">On</button>
      <button class="text-button" type="button" @click="act('switch_off')">Off</button>
      <button class="text-button" type="button" @click="act('copy')">Copy</button>
      <button
        class="text-button"
        type="button"
        @click="
          emit(
            'catchUp',
            acting.map((rule) => rule.id),
          )
        "
      >
        Catch up
      </button>
      <a class="text-button" :href="`/api/rules/document?${documentQuery}`">Save</a>
      <button class="text-button destructive" type="button" @click="act('delete')">Delete</button>
      <button
        class="text-button"
        type="button"
        aria-label="Select none"
        @click="chosen = new Set()"
      >
        ×
      </button>
    </p>
    <div class="stream" :class="{ filtered }">
      <svg v-if="!filtered" :width="WIDTH" :height="stream.height" aria-hidden="true">
        <path :d="stream.trunk" class="trunk" />
        <path
          v-for="branch in stream.branches"
          :key="branch.id"
          :d="branch.path"
          :class="branch.quiet ? 'quiet' : 'branch'"
          :style="branch.quiet ? {} : { fill: `var(--${colours.get(branch.id) ?? 'slate'})` }"
        />
      </svg>
      <div class="rules">
        <VueDraggable
          :model-value="[...laid]"
          tag="ol"
          :animation="120"
          :disabled="filtered || !whole"
          :delay="250"
          :delay-on-touch-only="true"
          :aria-label="filtered ? 'Rules that fit' : 'Rules from top to bottom'"
          @update:model-value="(order: StoredRule[]) => (rules = order)"
          @start="begin"
          @end="end"
        >
          <LineRow
            v-for="(stored, index) in laid"
            :key="stored.id"
            v-memo="[stored, index, filtered, ...saidOf(stored)]"
            :stored="stored"
            :colour="colours.get(stored.id) ?? 'slate'"
            :current="workbench.ruleId === stored.id"
            :chosen="chosen.has(stored.id)"
            :unsaved="workbench.unsaved(stored.id)"
            :season="seasonOf(stored.rule, today)"
            :notes="line.byRule.get(stored.id) ?? []"
            :style="filtered ? {} : { height: `${ROW}px` }"
            @press="(event) => press(event, stored, index)"
            @toggle="toggle(stored.id)"
            @move="(by) => !filtered && move(stored, by)"
            @step="(by) => step(index, by)"
          />
        </VueDraggable>
        <p v-if="filtered && !shown.length" class="none">No rule fits.</p>
        <RouterLink v-if="!filtered" to="/mail" class="inbox">
          <span class="name">Inbox</span>
          <span class="taken">{{ mailbox.line.stay.toLocaleString('en-GB') }}</span>
          <span class="does"
            >of {{ mailbox.line.arrived.toLocaleString('en-GB') }} stay in front of you</span
          >
        </RouterLink>
      </div>
    </div>
  </section>
</template>

<style scoped>
.line {
  overflow-y: auto;
  padding: 12px 12px 24px 16px;
}

header {
  display: flex;
  align-items: center;
  gap: 8px;
  margin-bottom: 8px;
}

h2 {
  flex: 1;
  font-size: 13px;
  font-weight: 600;
  color: var(--ink-soft);
}

.new {
  padding: 2px 12px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  color: var(--spruce);
  font-weight: 600;
  text-decoration: none;
}

.new:hover {
  border-color: var(--spruce);
}

.filter {
  width: 100%;
  height: 28px;
  margin-bottom: 10px;
  background: none;
}

.found {
  margin-bottom: 10px;
  font-size: 13px;
  color: var(--marigold);
}

.acting {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  margin-bottom: 10px;
}

.acting a {
  text-decoration: none;
}

.stream {
  display: grid;
  grid-template-columns: 70px minmax(0, 1fr);
}

.stream.filtered {
  grid-template-columns: minmax(0, 1fr);
}

/* Of a long line only the rules in sight are laid out; each has its height from the stream. */
.stream:not(.filtered) .rules :deep(li) {
  content-visibility: auto;
}

.trunk {
  fill: var(--spruce);
}

.quiet {
  stroke: var(--line);
  stroke-width: 2;
  stroke-dasharray: 3 3;
}

.inbox {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 8px;
  padding: 4px 9px;
  color: var(--ink);
  text-decoration: none;
}

.name {
  font-weight: 600;
}

.taken,
.does,
.none {
  color: var(--ink-soft);
}

.does {
  grid-column: 1 / -1;
  font-size: 13px;
}
</style>
