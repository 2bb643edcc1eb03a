<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import { VueDraggable } from 'vue-draggable-plus'

import type { Rehearsal } from '@/api/client'
import {
  moveNode,
  newCondition,
  newGroup,
  prune,
  type DraftGroup,
  type DraftNode,
} from '@/rules/draft'
import { foundSaying } from '@/rules/sayings'
import { useWorkbench } from '@/stores/workbench'

import FieldComplaint from '@/components/shell/FieldComplaint.vue'

import ConditionRow from './ConditionRow.vue'

defineOptions({ name: 'BracketPart' })
const group = defineModel<DraftGroup>({ required: true })
const props = defineProps<{
  /** What the bracket is called where there are several: "" for the outermost. */
  name: string
  /** Which part of the rule it belongs to. */
  part: 'when' | 'unless'
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
  const aspect = last?.kind === 'condition' && last.aspect === 'subject' ? 'from' : 'subject'
  group.value.nodes.push(newCondition(aspect))
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

/** For how many messages a condition or bracket holds by itself, as far as is known yet. */
function takes(node: DraftNode): string | undefined {
  const place = workbench.places.get(node.id)
  const count = place === undefined ? undefined : props.rehearsal?.counts[place]
  return count === undefined ? undefined : foundSaying(count, props.rehearsal?.whole ?? true)
}

/** Alt and an arrow move a condition: past its neighbour, into a bracket there, or out of its own. */
async function move(node: DraftNode, by: -1 | 1): Promise<void> {
  const root = props.part === 'when' ? workbench.draft.when : workbench.draft.unless
  if (!root || !moveNode(root, node.id, by)) return
  await nextTick()
  document.querySelector<HTMLElement>(`[data-grip="${node.id}"]`)?.focus()
}

/** A bracket that everything was dragged out of goes. */
function dropped(): void {
  prune(workbench.draft.when)
  if (workbench.draft.unless) prune(workbench.draft.unless)
  if (workbench.draft.unless?.nodes.length === 0) workbench.draft.unless = undefined
  if (workbench.draft.when.nodes.length === 0) workbench.draft.when.nodes = [newCondition()]
}

/** The outermost bracket of the exceptions. */
const isUnless = computed(() => props.name === 'Unless: ')

/** What an inner bracket holds for, or how many an exception keeps out. */
const total = computed(() => {
  const counted = props.rehearsal
  if (!counted || props.outermost) return undefined
  if (isUnless.value) {
    return counted.spared > 0 ? `−${foundSaying(counted.spared, counted.whole)}` : undefined
  }
  return takes(group.value)
})
const totalTitle = computed(() =>
  props.part === 'unless'
    ? 'Kept out by the exceptions'
    : 'Messages here for which the bracket holds',
)
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
    <div ref="rows" class="rows">
      <VueDraggable
        v-model="group.nodes"
        tag="ol"
        group="conditions"
        handle=".grip"
        :fallback-on-body="true"
        :swap-threshold="0.65"
        :animation="120"
        :aria-label="`${name}Conditions`"
        @end="dropped"
      >
        <template v-for="(node, index) in group.nodes" :key="node.id">
          <ConditionRow
            v-if="node.kind === 'condition'"
            :model-value="node"
            :number="index + 1"
            :name="name"
            :alone="(outermost ?? false) && group.nodes.length === 1"
            :takes="takes(node)"
            :complaint="workbench.saidOn(node.id)"
            @update:model-value="(next) => put(index, next)"
            @remove="remove(index)"
            @wrap="wrap(index)"
            @move="(by) => move(node, by)"
          />
          <li v-else class="inner" data-field>
            <button
              class="grip"
              type="button"
              :data-grip="node.id"
              :aria-label="`Move ${name.toLowerCase()}bracket ${index + 1}: Alt and arrows`"
              title="Drag, or Alt+Up and Alt+Down"
              @keydown.alt.up.prevent="move(node, -1)"
              @keydown.alt.down.prevent="move(node, 1)"
            >
              ⠿
            </button>
            <BracketPart
              :model-value="node"
              :name="`${name}Bracket ${index + 1}: `"
              :part="part"
              :rehearsal="rehearsal"
              @update:model-value="(next: DraftGroup) => put(index, next)"
              @remove="remove(index)"
              @dissolve="dissolve(index)"
            />
            <FieldComplaint :saying="workbench.saidOn(node.id)" />
          </li>
        </template>
      </VueDraggable>
      <p class="adds thumb-row">
        <button class="text-button" type="button" @click="add">+ condition</button>
        <button class="text-button" type="button" @click="addBracket">+ bracket</button>
        <template v-if="!outermost && !isUnless">
          <button
            class="text-button"
            type="button"
            :aria-pressed="group.negated"
            @click="group.negated = !group.negated"
          >
            {{ group.negated ? 'without not' : 'not' }}
          </button>
          <button class="text-button" type="button" @click="emit('dissolve')">dissolve</button>
        </template>
        <button
          v-if="!outermost"
          class="text-button destructive"
          type="button"
          :aria-label="
            isUnless ? 'No exceptions' : `Remove ${name.replace(': ', '').toLowerCase()}`
          "
          @click="emit('remove')"
        >
          {{ isUnless ? 'no exceptions' : 'remove' }}
        </button>
        <span v-if="total !== undefined" class="takes" :title="totalTitle">{{ total }}</span>
      </p>
    </div>
  </div>
</template>

<style scoped>
.when {
  position: relative;
  padding-left: 34px;
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
  border-radius: 12px;
  font: 600 12px/22px var(--type-interface);
  cursor: pointer;
  background: var(--spruce);
  color: var(--on-spruce);
}

.any > .turn {
  background: var(--sheet);
  color: var(--spruce);
}

.negated > .turn {
  border-color: var(--brick);
}

.rows {
  display: grid;
  gap: 4px;
}

ol {
  display: grid;
  gap: 6px;
  min-height: 8px;
}

.inner {
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
}

.inner > .when {
  flex: 1 0 calc(100% - 30px);
  min-width: 0;
}

.takes {
  margin: 0 52px 0 auto;
  color: var(--ink-soft);
}

.adds {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  padding-left: 8px;
}

@media (max-width: 699px) {
  .when {
    padding: 28px 0 0 16px;
  }

  .when::before {
    left: 6px;
  }

  .turn {
    left: -4px;
    top: 0;
    transform: none;
  }
}
</style>
