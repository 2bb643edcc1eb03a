<script setup lang="ts">
import { nextTick, ref } from 'vue'

import type { Rehearsal } from '@/api/client'
import { newCondition, saidConditions } from '@/rules/draft'
import { useWorkbench } from '@/stores/workbench'

import ConditionRow from './ConditionRow.vue'

const workbench = useWorkbench()
const props = defineProps<{ rehearsal: Rehearsal | undefined }>()
const rows = ref<HTMLElement>()

async function add(): Promise<void> {
  const last = workbench.draft.conditions.at(-1)
  workbench.draft.conditions.push(newCondition(last?.subject === 'subject' ? 'from' : 'subject'))
  await nextTick()
  const inputs = rows.value?.querySelectorAll<HTMLElement>('.values input')
  inputs?.[inputs.length - 1]?.focus()
}

function remove(index: number): void {
  workbench.draft.conditions.splice(index, 1)
}

function turn(): void {
  workbench.draft.bracket = workbench.draft.bracket === 'all' ? 'any' : 'all'
}

/** The server knows only the conditions that say something; rows are counted with the others. */
function place(row: number): number {
  return saidConditions(workbench.draft).findIndex((each) => each.row === row)
}

function takes(row: number): number | undefined {
  const at = place(row)
  return at < 0 ? undefined : props.rehearsal?.takes_each[at]
}

function complaint(row: number): string {
  const at = place(row)
  const path = `when.${workbench.draft.bracket}[${at}]`
  return workbench
    .complaintsAt(path)
    .map((each) => each.message)
    .join('; ')
}
</script>

<template>
  <div class="when" :class="workbench.draft.bracket">
    <button
      class="turn"
      type="button"
      :aria-label="`${workbench.draft.bracket} of the conditions; press for ${
        workbench.draft.bracket === 'all' ? 'any' : 'all'
      }`"
      :title="
        workbench.draft.bracket === 'all'
          ? 'All of these have to hold. Press for any.'
          : 'One of these is enough. Press for all.'
      "
      @click="turn"
    >
      {{ workbench.draft.bracket }}
    </button>
    <ol ref="rows" aria-label="Conditions">
      <ConditionRow
        v-for="(condition, index) in workbench.draft.conditions"
        :key="condition.id"
        v-model="workbench.draft.conditions[index]!"
        :number="index + 1"
        :alone="workbench.draft.conditions.length === 1"
        :takes="takes(index)"
        :complaint="complaint(index)"
        @remove="remove(index)"
      />
      <li><button class="text-button" type="button" @click="add">+ condition</button></li>
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

.any .turn {
  background: var(--sheet);
  color: var(--spruce);
}

ol {
  display: grid;
  gap: 6px;
}
</style>
