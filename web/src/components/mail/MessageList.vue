<script setup lang="ts">
import { computed, defineAsyncComponent, nextTick, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import type { Message, Which } from '@/api/client'
import { useAtRest } from '@/composables/useAtRest'
import { ROW, useDayRows } from '@/composables/useDayRows'
import { useMessages, type Place } from '@/composables/useMessages'
import { useHandheld } from '@/composables/useRoom'
import { useSelection } from '@/composables/useSelection'
import { emptyPlaceSaying } from '@/mail/empty-places'
import { startDrag } from '@/mail/drag'
import { countSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

import KindGroups from './KindGroups.vue'
import MessageRow from './MessageRow.vue'
import PlaceSayings from './PlaceSayings.vue'

/** Loaded when something is first selected. */
const MessageCommands = defineAsyncComponent(() => import('./MessageCommands.vue'))

const props = defineProps<{
  title: string
  place: Place | undefined
  current: number | undefined
  /** The address of a message in this list. */
  addressOf: (id: number | undefined) => string
}>()

const emit = defineEmits<{ selected: [which: Which | undefined, count: number] }>()

const mailbox = useMailbox()
const acts = useActs()
const router = useRouter()
const handheld = useHandheld()
const { at, indexOf, need, pages, total, whole, loading, failure, problems, unfinished } =
  useMessages(
    () => props.place,
    () => mailbox.version,
  )
const selection = useSelection(() => props.place, total)

watch([selection.which, selection.count], ([which, count]) => {
  emit('selected', which, count)
})

const list = ref<HTMLElement>()
const { virtual, rows, beginning, topDay } = useDayRows(list, { at, need, pages, total })

const stands = computed(() => (props.current === undefined ? undefined : indexOf(props.current)))

async function open(index: number): Promise<void> {
  const message = at(index)
  if (!message) return
  await router.push(props.addressOf(message.id))
}

/** Arrows open the message before or after; the list need not have the focus. */
function step(by: number): void {
  const next = stands.value === undefined ? 0 : stands.value + by
  if (next < 0 || next >= total.value) return
  virtual.value.scrollToIndex(next)
  void open(next)
}

/** Shift and an arrow take one more into the selection. */
function extend(by: number): void {
  const from = stands.value ?? 0
  const message = at(from)
  if (message && !selection.has(message.id)) selection.toggle(message.id, from)
  const next = from + by
  if (next < 0 || next >= total.value) return
  selection.extend(next, (index) => at(index)?.id)
  step(by)
}

function press(event: MouseEvent, message: Message, index: number): void {
  if (event.shiftKey) selection.extend(index, (key) => at(key)?.id)
  else selection.toggle(message.id, index)
}

function toggleCurrent(): void {
  const index = stands.value
  if (index === undefined || props.current === undefined) return
  selection.toggle(props.current, index)
}

/** Where the open message stood last: the list may have followed before the next one is opened. */
let stood: number | undefined
watch(stands, (now) => (stood = now ?? stood), { immediate: true })

/** After the open message went elsewhere, the next one is opened. */
async function moveOn(): Promise<void> {
  const gone = stands.value === undefined
  const index = stands.value ?? stood
  const next = index === undefined ? undefined : (at(gone ? index : index + 1) ?? at(index - 1))
  await router.push(props.addressOf(next?.id))
}

async function trash(): Promise<void> {
  const which = selection.which.value
  if (which) {
    if (await acts.act(which, { do: { do: 'trash' } })) selection.clear()
  } else if (props.current !== undefined) {
    const gone = { ids: [props.current], leave_out: [] }
    await moveOn()
    await acts.act(gone, { do: { do: 'trash' } })
  }
}

function drag(event: DragEvent, message: Message): void {
  const which =
    selection.has(message.id) && selection.which.value
      ? selection.which.value
      : { ids: [message.id], leave_out: [] }
  const count = selection.has(message.id) ? selection.count.value : 1
  startDrag(event, { messages: which }, countSaying(count, 'message'))
}

const folder = computed(() => {
  const place = props.place
  return place && 'folder' in place
    ? mailbox.folders.find((folder) => folder.id === place.folder)
    : undefined
})
const selectedMessages = computed(() =>
  [...pages.value.values()].flat().filter((message) => selection.has(message.id)),
)
const commonLabels = computed(() => {
  const [first, ...others] = selectedMessages.value
  return (first?.labels ?? []).filter((label) =>
    others.every((message) => message.labels.includes(label)),
  )
})
const emptySaying = computed(() => {
  if (props.place && 'find' in props.place) return 'Nothing found. Fewer words find more.'
  return emptyPlaceSaying(folder.value ? { folder: folder.value.role } : 'label')
})
/** What a search found is told once its words are at rest. */
const atRest = useAtRest(() => {
  if (!props.place || !('find' in props.place) || loading.value) return ''
  return total.value ? `Found ${countSaying(total.value, 'message')}` : emptySaying.value
})

watch(stands, async (index, before) => {
  if (index === undefined || before !== undefined) return
  await nextTick() // a message that was opened by its address is brought into sight
  virtual.value.scrollToIndex(index, { align: 'auto' })
})
watch(
  () => JSON.stringify(props.place),
  () => list.value?.scrollTo({ top: 0 }),
)
defineExpose({
  step,
  extend,
  trash,
  moveOn,
  toggleCurrent,
  selectAll: selection.selectAll,
  clear: selection.clear,
  anySelected: () => selection.count.value > 0,
})
</script>

<template>
  <section class="list" aria-label="Messages">
    <p class="visually-hidden" role="status">{{ atRest }}</p>
    <header v-if="selection.count.value">
      <div class="line thumb-row">
        <h2 class="one-line">{{ selection.count.value.toLocaleString('en-GB') }} selected</h2>
        <button
          v-if="whole && !selection.all.value && selection.count.value < total"
          class="text-button"
          type="button"
          title="Ctrl+A"
          @click="selection.selectAll"
        >
          Select all {{ total.toLocaleString('en-GB') }}
        </button>
        <button class="text-button" type="button" title="Esc" @click="selection.clear">
          Select none
        </button>
        <slot name="selected"></slot>
      </div>
      <MessageCommands
        v-if="selection.which.value"
        :which="selection.which.value"
        :count="selection.count.value"
        :folder="folder?.path"
        :labels="commonLabels"
        @done="(moved) => moved && selection.clear()"
      />
    </header>
    <header v-else>
      <div class="line thumb-row">
        <slot name="before"></slot>
        <h2 class="one-line">{{ title }}</h2>
        <p>
          {{ whole ? '' : 'At least ' }}{{ loading && !total ? '' : countSaying(total, 'message')
          }}<template v-if="total && !handheld">, newest first</template>
        </p>
      </div>
      <slot name="head"></slot>
      <KindGroups :place="place" :where="folder?.path ?? title" />
      <PlaceSayings :place="place" :folder="folder" :problems="problems" :total="total" />
    </header>
    <p v-if="failure" class="hint" role="alert">{{ failure }}</p>
    <p v-if="total" class="day" aria-hidden="true">{{ topDay }}</p>
    <div ref="list" class="rows">
      <div
        class="whole"
        role="list"
        :aria-label="title"
        :style="{ height: `${virtual.getTotalSize()}px` }"
      >
        <div
          v-for="row in rows"
          :key="at(row.index)?.id ?? `at-${row.index}`"
          class="place"
          role="listitem"
          :aria-posinset="row.index + 1"
          :aria-setsize="whole ? total : -1"
          draggable="true"
          :style="{ transform: `translateY(${row.start}px)`, height: `${row.size}px` }"
          @dragstart="(event) => at(row.index) && drag(event, at(row.index)!)"
        >
          <h3 v-if="row.index > 0 && row.size > ROW && beginning(row.index)">
            {{ beginning(row.index) }}
          </h3>
          <div v-else-if="row.index === 0" class="first"></div>
          <MessageRow
            v-if="at(row.index)"
            :message="at(row.index)!"
            :current="at(row.index)!.id === current"
            :selected="selection.has(at(row.index)!.id)"
            :reached-by-tab="row.index === (stands ?? 0)"
            :to="addressOf(at(row.index)!.id)"
            :shows-folder="!folder"
            @press="(event) => press(event, at(row.index)!, row.index)"
            @tick="selection.toggle(at(row.index)!.id, row.index)"
          />
          <div v-else class="coming" aria-hidden="true"></div>
        </div>
      </div>
      <p v-if="!total && !loading && !failure" class="hint">
        <template v-if="unfinished.length">
          Go on typing. What may stand there:
          <span v-for="saying in unfinished" :key="saying" class="unfinished">{{ saying }}</span>
        </template>
        <template v-else>{{ emptySaying }}</template>
      </p>
    </div>
  </section>
</template>

<style scoped>
.list {
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--sheet-soft);
  border: solid var(--line);
  border-width: 0 1px;
}

header {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 4px;
  padding: 12px 16px 8px;
  border-bottom: 1px solid var(--line);
}

.line {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 4px 12px;
}

.line:has(.text-button + .text-button) {
  flex-wrap: wrap;
}

.line h2 {
  font-size: 15px;
  font-weight: 700;
}

header p {
  color: var(--ink-soft);
}

.line p,
.line :deep(.text-button) {
  flex: none;
  white-space: nowrap;
}

.rows {
  overflow-y: auto;
  flex: 1;
  margin-top: -27px;
}

.whole {
  position: relative;
}

.place {
  position: absolute;
  inset: 0 0 auto;
}

.day,
h3 {
  height: 27px;
  padding: 4px 16px;
  background: var(--sheet-soft);
  border-bottom: 1px solid var(--line);
  font-size: 12px;
  line-height: 18px;
  font-weight: 600;
  color: var(--ink-soft);
}

/* Stands over the list's first line; the scroll bar stays free. */
.day {
  position: relative;
  z-index: 2;
  flex: none;
  margin-right: 12px;
}

.first {
  height: 27px;
}

.coming {
  height: 76px;
  border-bottom: 1px solid var(--line-soft);
}

.hint {
  padding: 43px 16px 16px;
  color: var(--ink-soft);
}

.unfinished {
  display: block;
  padding-top: 4px;
}

@media (max-width: 1099px) {
  .list {
    border-width: 0;
  }

  .line h2 {
    flex: 1;
  }
}

@media (max-width: 699px) {
  header {
    padding: 2px 14px 6px;
  }
}

/* So low that the header would leave no room: both scroll. */
@media (max-height: 419px) {
  .list {
    overflow-y: auto;
  }

  .rows {
    flex: none;
    height: calc(100% - 27px);
  }
}
</style>
