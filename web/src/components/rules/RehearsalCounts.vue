<script setup lang="ts">
import { computed } from 'vue'

import type { Rehearsal } from '@/api/client'
import { foundSaying } from '@/rules/sayings'
import { useWorkbench } from '@/stores/workbench'

/** Which of the two is listed below. */
const shows = defineModel<'takes' | 'nearly'>({ required: true })
const props = defineProps<{ rehearsal: Rehearsal; bracket: 'all' | 'any' }>()
const workbench = useWorkbench()

const otherBracket = computed(() => (props.bracket === 'all' ? 'any' : 'all'))
const nearly = computed(() => shows.value === 'nearly' && props.rehearsal.nearly > 0)

function count(messages: number): string {
  return foundSaying(messages, props.rehearsal.whole)
}

function turn(): void {
  workbench.draft.when.bracket = otherBracket.value
}
</script>

<template>
  <div class="counts" role="group" aria-label="Counts">
    <button
      type="button"
      class="count"
      :aria-pressed="!nearly"
      title="The messages that the rule takes"
      @click="shows = 'takes'"
    >
      <span data-testid="takes" class="number">{{ count(rehearsal.takes) }}</span>
      <span>takes</span>
    </button>
    <button
      type="button"
      class="count"
      :aria-pressed="nearly"
      :disabled="!rehearsal.nearly"
      title="Messages that miss the rule by exactly one condition"
      @click="shows = 'nearly'"
    >
      <span data-testid="nearly" class="number">{{ count(rehearsal.nearly) }}</span>
      <span>nearly</span>
    </button>
    <button
      v-if="rehearsal.takes_otherwise !== null"
      type="button"
      class="count otherwise"
      :title="`Press to use ${otherBracket} instead`"
      @click="turn"
    >
      <span class="number">{{ count(rehearsal.takes_otherwise) }}</span>
      <span
        >if <b>{{ otherBracket }}</b> instead of <b>{{ bracket }}</b></span
      >
    </button>
  </div>
</template>

<style scoped>
.counts {
  display: flex;
  flex-wrap: wrap;
  margin: 0 16px 10px;
  background: var(--sheet);
  border: 1px solid var(--line);
  border-radius: var(--radius);
}

.count {
  display: flex;
  flex: 1;
  flex-direction: column;
  padding: 6px 14px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  font: inherit;
  text-align: left;
  cursor: pointer;
}

.count:disabled {
  cursor: default;
}

.count + .count {
  border-left: 1px solid var(--line);
}

.count[aria-pressed='true'] {
  box-shadow: inset 0 -3px 0 var(--spruce);
}

.count:hover:enabled {
  background: var(--spruce-wash);
}

.count.otherwise {
  flex: 1.8;
  white-space: nowrap;
}

.count b {
  color: var(--spruce);
}

.number {
  color: var(--ink);
  font: 500 24px/30px var(--type-mail);
}
</style>
