<script setup lang="ts">
import { computed } from 'vue'

import type { StoredRule, Which } from '@/api/client'
import { useKeys } from '@/composables/useKeys'
import { doesSaying, spokenPath } from '@/rules/sayings'
import { useCatchUps } from '@/stores/catch-ups'
import { useMailbox } from '@/stores/mailbox'

const props = defineProps<{
  /** What a rule is run on: the selection, or else all of what the list shows. */
  which: Which | undefined
  /** The same in words. */
  on: string
}>()
const emit = defineEmits<{ catchUp: [] }>()
const mailbox = useMailbox()
const catchUps = useCatchUps()

/** Rules that run when asked, in the order of the line. */
const rules = computed(() =>
  mailbox.rules.filter((each) => each.rule.enabled && each.rule.runs.includes('hand')),
)

async function run(stored: StoredRule): Promise<void> {
  if (!props.which) return
  // Asked for by hand, on mail that is in front of its owner: it acts on all of it.
  await catchUps.start({ rule_ids: [stored.id], which: props.which, respects: false })
}

useKeys({ h: () => document.querySelector<HTMLElement>('.at-hand button')?.focus() })
</script>

<template>
  <section v-if="mailbox.rules.length" class="at-hand" aria-label="At hand">
    <h2 title="Rules that run when you ask (H)">At hand</h2>
    <ul>
      <li v-for="stored in rules" :key="stored.id">
        <button
          class="text-button"
          type="button"
          :disabled="!which || !!catchUps.job"
          :title="`${doesSaying(stored.rule)}, on ${spokenPath(on)}`"
          @click="run(stored)"
        >
          {{ stored.rule.name }}
        </button>
      </li>
      <li>
        <button
          class="text-button"
          type="button"
          :disabled="!which"
          :title="`See what rules would do to ${spokenPath(on)}, and let them`"
          @click="emit('catchUp')"
        >
          Catch up …
        </button>
      </li>
    </ul>
  </section>
</template>

<style scoped>
h2 {
  margin: 16px 8px 4px;
  font-size: 13px;
  font-weight: 500;
  color: var(--ink-soft);
}

li {
  padding: 4px 8px;
}

button {
  text-align: left;
}
</style>
