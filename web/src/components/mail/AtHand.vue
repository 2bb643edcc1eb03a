<script setup lang="ts">
import { computed } from 'vue'

import { catchUpBody } from '@/api/bodies'
import { api, content, type CatchUpAsked, type StoredRule, type Which } from '@/api/client'
import { useKeys } from '@/composables/useKeys'
import { doesSaying } from '@/rules/actions'
import { countSaying, spokenPath } from '@/rules/sayings'
import { askAboutLargeMove, useActs } from '@/stores/acts'
import { ask } from '@/stores/asking'
import { useCatchUps } from '@/stores/catch-ups'
import { useMailbox } from '@/stores/mailbox'

const props = defineProps<{
  /** What a rule is run on: the selection, or else all of what the list shows. */
  which: Which | undefined
  /** The same in words. */
  on: string
  /** Whether it was selected: all of a list is asked about first. */
  selected: boolean
}>()
const emit = defineEmits<{ catchUp: [] }>()
const mailbox = useMailbox()
const catchUps = useCatchUps()
const acts = useActs()

/** Rules that run when asked, in the order of the line. */
const rules = computed(() =>
  mailbox.rules.filter((rule) => rule.rule.enabled && rule.rule.runs.includes('hand')),
)

async function run(stored: StoredRule): Promise<void> {
  if (!props.which) return
  // Asked for by hand, on mail that is in front of its owner: it acts on all of it.
  const asked = {
    rule_ids: [stored.id],
    which: props.which,
    respects: false,
    takes_left: true,
  }
  if (!(await sure(stored, asked))) return
  await catchUps.start(asked)
}

/** All of a list is asked about with how many it would change; a selection, where that is much. */
async function sure(stored: StoredRule, asked: CatchUpAsked): Promise<boolean> {
  try {
    const body = catchUpBody(asked)
    const previewed = await content(api.POST('/api/catch-ups/preview', { body }))
    const { examined, report, question } = previewed
    if (props.selected) return !question || (await askAboutLargeMove(question))
    const changes = countSaying(report.changed, 'message')
    return await ask(
      `Nothing is selected. Of ${countSaying(examined, 'message')} in ${spokenPath(props.on).replace(/^all of /, '')}, it changes ${changes}.`,
      `Run “${stored.rule.name}” on ${spokenPath(props.on)}?`,
      `Change ${changes}`,
    )
  } catch (error) {
    if (error instanceof Error) acts.fail(error)
    return false
  }
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

@media (max-width: 699px), (pointer: coarse) {
  li {
    padding-block: 12px;
  }
}
</style>
