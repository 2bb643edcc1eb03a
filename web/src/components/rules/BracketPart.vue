<script setup lang="ts">
import { nextTick, ref } from 'vue'

import type { Rehearsal } from '@/api/client'
import { newCondition, newGroup, says, type DraftGroup, type DraftNode } from '@/rules/draft'
import { useWorkbench } from '@/stores/workbench'

import ConditionRow from './ConditionRow.vue'

defineOptions({ name: 'BracketPart' })
const group = defineModel<DraftGroup>({ required: true })
const props = defineProps<{
  /** What the bracket is called where there are several: "" for the outermost. */
  name: string
  rehearsal?: Rehearsal | undefined
  /** The outermost bracket stays; inner ones can go. */
  outermost?: boolean
}>()
const emit = defineEmits<{ dissolve: []; remove: [] }>()

const workbench = useWorkbench()
const rows = ref<HTMLElement>()

async function focusLast(): Promise<void> {
  await nextTick()
  const inputs = rows.value?.querySelectorAll<HTMLElement>('.values input')
  inputs?.[inputs.length - 1]?.focus()
}

async function add(): Promise<void> {
  const last = group.value.nodes.at(-1)
  const subject = last?.kind === 'condition' && last.subject === 'subject' ? 'from' : 'subject'
  group.value.nodes.push(newCondition(subject))
  await focusLast()
}

/** A bracket of the other kind: inside an "all" one of "any" is what is wanted. */
async function addBracket(): Promise<void> {
  const other = group.value.bracket === 'all' ? 'any' : 'all'
  group.value.nodes.push(newGroup(other, [newCondition('subject'), newCondition('subject')]))
  await focusLast()
}

function put(index: number, node: DraftNode): void {
  group.value.nodes.splice(index, 1, node)
}

function remove(index: number): void {
  group.value.nodes.splice(index, 1)
  if (group.value.nodes.length === 0) emit('remove')
}

/** The condition gets a bracket of its own, together with a new one. */
function wrap(index: number): void {
  const node = group.value.nodes[index]
  if (!node) return
  const other = group.value.bracket === 'all' ? 'any' : 'all'
  put(index, newGroup(other, [node, newCondition('subject')]))
}

function dissolve(index: number): void {
  const node = group.value.nodes[index]
  if (node?.kind === 'group') group.value.nodes.splice(index, 1, ...node.nodes)
}

function turn(): void {
  group.value.bracket = group.value.bracket === 'all' ? 'any' : 'all'
}

/** The server knows only what says something; rows are counted with the others. */
function takes(index: number): number | undefined {
  const node = group.value.nodes[index]
  if (!node || !says(node)) return undefined
  const at = group.value.nodes.slice(0, index).filter(says).length
  return props.rehearsal?.takes_each[at]
}

function complaint(node: DraftNode): string {
  return workbench
    .complaintsOn(node.id)
    .map((each) => each.message)
    .join('; ')
}
</script>

<template>
  <div class="when" :class="[group.bracket, { negated: group.negated }]">
    <button
      class="turn"
      type="button"
      :aria-label="`${name}${group.bracket} of the conditions; press for ${
        group.bracket === 'all' ? 'any' : 'all'
      }`"
      :title="
        group.bracket === 'all'
          ? 'All of these have to hold. Press for any.'
          : 'One of these is enough. Press for all.'
      "
      @click="turn"
    >
      {{ group.negated ? 'not ' : '' }}{{ group.bracket }}
    </button>
    <ol ref="rows" :aria-label="`${name}Conditions`">
      <template v-for="(node, index) in group.nodes" :key="node.id">
        <ConditionRow
          v-if="node.kind === 'condition'"
          :model-value="node"
          :number="index + 1"
          :name="name"
          :alone="(outermost ?? false) && group.nodes.length === 1"
          :takes="takes(index)"
          :complaint="complaint(node)"
          @update:model-value="(next) => put(index, next)"
          @remove="remove(index)"
          @wrap="wrap(index)"
        />
        <li v-else class="inner">
          <BracketPart
            :model-value="node"
            :name="`${name}Bracket ${index + 1}: `"
            @update:model-value="(next: DraftGroup) => put(index, next)"
            @remove="remove(index)"
            @dissolve="dissolve(index)"
          />
          <span class="takes">{{ takes(index)?.toLocaleString('en-GB') ?? '' }}</span>
        </li>
      </template>
      <li class="adds">
        <button class="text-button" type="button" @click="add">+ condition</button>
        <button class="text-button" type="button" @click="addBracket">+ bracket</button>
        <template v-if="!outermost">
          <button
            class="text-button"
            type="button"
            :aria-pressed="group.negated"
            @click="group.negated = !group.negated"
          >
            {{ group.negated ? 'without not' : 'not' }}
          </button>
          <button class="text-button" type="button" @click="emit('dissolve')">dissolve</button>
          <button class="text-button destructive" type="button" @click="emit('remove')">
            remove bracket
          </button>
        </template>
      </li>
    </ol>
  </div>
</template>

<style scoped>
.when {
  position: relative;
  padding-left: 26px;
}

/* The bracket; dashed where one condition is enough. */
.when::before {
  content: '';
  position: absolute;
  inset: 2px auto 2px 14px;
  width: 7px;
  border: 1.5px solid var(--spruce);
  border-right: 0;
  border-radius: 5px 0 0 5px;
}

.when.any::before {
  border-style: dashed;
}

.turn {
  position: absolute;
  z-index: 1;
  left: -6px;
  top: 50%;
  transform: translateY(-50%);
  padding: 0 7px;
  border: 1.5px solid var(--spruce);
  border-radius: 10px;
  font: 600 12px/18px var(--type-interface);
  cursor: pointer;
  background: var(--spruce);
  color: var(--sheet);
}

.any > .turn {
  background: var(--sheet);
  color: var(--spruce);
}

.negated > .turn {
  border-color: var(--brick);
}

ol {
  display: grid;
  gap: 6px;
}

.inner {
  display: flex;
  gap: 4px;
  padding-left: 6px;
}

.inner > .when {
  flex: 1;
  min-width: 0;
}

.takes {
  width: 32px;
  margin-right: 22px;
  line-height: 32px;
  text-align: right;
  color: var(--ink-soft);
}

.adds {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
}
</style>
