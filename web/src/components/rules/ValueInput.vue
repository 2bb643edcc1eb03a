<script setup lang="ts">
import { computed, onMounted, ref } from 'vue'

import { api, content } from '@/api/client'
import { useClosingList } from '@/composables/useClosingList'
import type { Aspect, TestName } from '@/rules/conditions'
import { countSaying } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

import DayField from '@/components/shell/DayField.vue'

import ChosenTag from './ChosenTag.vue'
import MeasureInput from './MeasureInput.vue'

const mailbox = useMailbox()

const props = defineProps<{ aspect: Aspect; test: TestName; name: string }>()
const values = defineModel<string[]>('values', { required: true })
const typed = defineModel<string>('typed', { required: true })

interface Suggestion {
  value: string
  name?: string
  note: string
}

type Answer = (suggestions: Suggestion[]) => void

/** Folders and labels are known here; people are asked for, those in the address book too. */
async function suggestionsFor(text: string): Promise<Suggestion[]> {
  const { completes } = props.aspect
  if (!completes) return []
  if (completes === 'folder' || completes === 'label') {
    const there =
      completes === 'folder'
        ? mailbox.paths.map((path) => ({ value: path.path, total: path.total }))
        : mailbox.labels.map((label) => ({ value: label.name, total: label.total }))
    return there
      .filter((place) => place.value.toLowerCase().includes(text.toLowerCase()))
      .map((suggestion) => ({
        value: suggestion.value,
        note: countSaying(suggestion.total, 'message'),
      }))
  }
  if (completes === 'account') {
    const { accounts } = await content(api.GET('/api/accounts'))
    return accounts.map((account) => ({ value: account.address, note: account.name }))
  }
  const query = { ...completes, text }
  const { completions } = await content(api.GET('/api/completions', { params: { query } }))
  return completions.map((completion) => ({
    value: completion.value,
    name: completion.name,
    note: completion.messages ? completion.messages.toLocaleString('en-GB') : 'contact',
  }))
}

/** What was typed when the list that is offered was asked for. */
let offeredFor = ''
/** Whether an arrow key has chosen from the list since the last letter. */
let chosen = false

async function complete(text: string, answer: Answer): Promise<void> {
  let offered: Suggestion[] = []
  try {
    offered = await suggestionsFor(text)
  } catch {
    // completions are a help, not a need: what is typed counts as it stands
  }
  offeredFor = text
  answer(offered)
}

function take(texts: string[]): void {
  const written = texts.map((text) => text.trim()).filter(Boolean)
  values.value = [...new Set([...values.value, ...written])]
  typed.value = ''
}

/** A list pasted in: one value per line, or else separated by commas. */
function paste(event: ClipboardEvent): void {
  const text = event.clipboardData?.getData('text/plain') ?? ''
  const lines = text.split(/[\r\n]+/).filter((piece) => piece.trim())
  const pieces = lines.length > 1 ? lines : text.split(/[,;]/)
  if (pieces.length < 2) return
  event.preventDefault()
  take(pieces)
}

function drop(value: string): void {
  values.value = values.value.filter((known) => known !== value)
}

function backspace(): void {
  if (!typed.value) values.value = values.value.slice(0, -1)
}

/** A whole address or place is meant: Enter takes the first that is offered, not a piece of it. */
const picksFirst = computed(
  () => props.aspect.completes !== undefined && (props.test === 'is' || props.test === 'under'),
)

/** What stood there as Enter was pressed, where the list was offered for other letters. */
let entered: string | undefined

function enter(): void {
  const stale = picksFirst.value && !chosen && offeredFor !== typed.value
  entered = stale ? typed.value : undefined
}

/** The letters changed: what was chosen from the list before is not meant any more. */
function write(): void {
  chosen = false
  entered = undefined
}

function choose(): void {
  chosen = true
}

function select(item: Record<string, unknown>): void {
  take([entered ?? String(item['value'])])
  entered = undefined
}

const close = useClosingList('choices')

/** The list of suggestions is made when it first opens; until then nothing may point at it. */
const root = ref<HTMLElement>()
onMounted(() => {
  const input = root.value?.querySelector('input')
  input?.removeAttribute('aria-controls')
  input?.removeAttribute('aria-activedescendant')
  // What is around the input is a combobox of its own, without a name.
  root.value?.querySelector('[role="combobox"]')?.setAttribute('aria-label', 'What is offered')
})

const placeholder = computed(() => (values.value.length > 0 ? 'or…' : props.aspect.placeholder))
</script>

<template>
  <el-select
    v-if="aspect.values === 'choice'"
    ref="choices"
    v-model="values"
    multiple
    :aria-label="name"
    :placeholder="aspect.placeholder"
    :teleported="false"
    @change="close"
  >
    <el-option
      v-for="choice in aspect.choices"
      :key="String(choice.value)"
      :value="String(choice.value)"
      :label="choice.label"
    />
  </el-select>
  <DayField
    v-else-if="aspect.values === 'day'"
    :name="name"
    :model-value="values[0] ?? ''"
    @update:model-value="(day) => (values = [day].filter(Boolean))"
  />
  <MeasureInput
    v-else-if="aspect.values === 'size' || aspect.values === 'age'"
    v-model="values"
    :kind="aspect.values"
    :name="name"
  />
  <div
    v-else
    ref="root"
    class="values"
    :class="{ some: values.length > 0 }"
    @input.capture="write"
    @keydown.up.capture="choose"
    @keydown.down.capture="choose"
    @keydown.enter.capture="enter"
  >
    <ChosenTag v-for="value in values" :key="value" :name="value" @drop="drop(value)" />
    <el-autocomplete
      v-model="typed"
      :fetch-suggestions="complete"
      :trigger-on-focus="aspect.completes !== undefined"
      :highlight-first-item="picksFirst"
      :debounce="120"
      hide-loading
      :placeholder="placeholder"
      :aria-label="name"
      select-when-unmatched
      @select="select"
      @paste="paste"
      @keydown.backspace="backspace"
      @blur="take([typed])"
    >
      <template #default="{ item }">
        <span class="suggestion">
          <span class="one-line"
            >{{ item.value }}<span v-if="item.name" class="person">{{ item.name }}</span></span
          >
          <span class="messages">{{ item.note }}</span>
        </span>
      </template>
    </el-autocomplete>
  </div>
</template>

<style scoped>
.values {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 3px;
  min-height: 32px;
  padding: 2px 4px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
}

.values:focus-within {
  border-color: var(--spruce);
}

.values :deep(.el-autocomplete) {
  flex: 1;
  min-width: 90px;
}

.values.some :deep(.el-autocomplete) {
  min-width: 24px;
}

.values :deep(.el-input__wrapper) {
  box-shadow: none;
  padding: 0 2px;
}

.values :deep(.el-input__inner) {
  height: 24px;
}

.suggestion {
  display: flex;
  gap: 8px;
}

.person {
  margin-left: 8px;
  color: var(--ink-soft);
}

.messages {
  margin-left: auto;
  color: var(--ink-soft);
}
</style>
