<script setup lang="ts">
/** The counts of the rehearsal where there is no room for it: always in sight, and its way in. */
import { computed } from 'vue'

import type { Rehearsal } from '@/api/client'
import { foundSaying } from '@/rules/sayings'

const props = defineProps<{
  rehearsal: Rehearsal | undefined
  running: boolean
  /** Nothing is said of the rule yet: here is the way to what it may begin with. */
  begins: boolean
}>()
const emit = defineEmits<{ open: [] }>()

const counts = computed(() => {
  const now = props.rehearsal
  if (!now) return []
  const parts: [string, number][] = [
    ['takes', now.takes],
    ['nearly', now.nearly],
  ]
  return parts.map(([name, count]) => ({ name, count: foundSaying(count, now.whole) }))
})
</script>

<template>
  <button class="counts" type="button" aria-haspopup="dialog" @click="emit('open')">
    <span v-if="!begins" class="visually-hidden">Rehearsal: </span>
    <span v-for="part in counts" :key="part.name">
      {{ part.name }} <b :data-testid="`${part.name}-at-foot`">{{ part.count }}</b>
    </span>
    <span v-if="!counts.length">{{
      begins ? 'Proposals and usual rules' : running ? 'Trying it…' : 'Nothing to try yet'
    }}</span>
    <span class="way" aria-hidden="true">{{ begins ? 'To begin with' : 'Rehearsal' }} ▴</span>
  </button>
</template>

<style scoped>
.counts {
  display: flex;
  gap: 18px;
  align-items: baseline;
  min-height: 44px;
  padding: 6px 18px;
  border: 0;
  border-top: 1px solid var(--line);
  background: var(--ground);
  color: var(--ink-soft);
  font: inherit;
  cursor: pointer;
}

.counts:focus-visible {
  outline-offset: -2px;
}

b {
  color: var(--ink);
  font: 500 20px/28px var(--type-mail);
}

.way {
  margin-left: auto;
  color: var(--spruce);
  font-weight: 600;
}

@media (max-height: 419px) {
  .counts {
    min-height: 32px;
    padding-block: 0;
  }
}
</style>
