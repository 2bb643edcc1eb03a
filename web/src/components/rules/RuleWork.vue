<script setup lang="ts">
import { computed } from 'vue'

import { api, content, type RuleWork } from '@/api/client'
import { useAnswer } from '@/composables/useAnswer'
import { countSaying, momentSaying } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

const props = defineProps<{ id: number }>()
const mailbox = useMailbox()
const { answer, failure } = useAnswer(
  [() => props.id, () => mailbox.version],
  async (signal): Promise<{ of: number; work: RuleWork }> => {
    const params = { path: { rule_id: props.id } }
    const counted = await content(api.GET('/api/rules/{rule_id}/work', { params, signal }))
    return { of: params.path.rule_id, work: counted }
  },
)
/** That of another rule is none; the line says of itself when the server does not answer. */
const work = computed(() =>
  failure.value || answer.value?.of !== props.id ? undefined : answer.value.work,
)

const HEIGHT = 18
const PITCH = 4 // a bar of 3 and a gap of 1

const most = computed(() => Math.max(0, ...(work.value?.days ?? [])))
const bars = computed(() =>
  (work.value?.days ?? []).map((count, index) => {
    const height = count === 0 ? 1 : Math.max(2, (count / most.value) * HEIGHT)
    return { x: index * PITCH, y: HEIGHT - height, height, none: count === 0 }
  }),
)
const said = computed(() => {
  const now = work.value
  if (!now) return ''
  if (now.last === null) return 'Has taken nothing yet'
  const day = (count: number): string => count.toLocaleString('en-GB')
  const counts = `Took ${day(now.today)} today, ${day(now.week)} in 7 days, ${day(now.month)} in 30`
  return now.today === 0
    ? `${counts}; the last ${momentSaying(new Date(now.last), new Date())}`
    : counts
})
const putBack = computed(() =>
  work.value?.put_back ? `Put back by hand: ${countSaying(work.value.put_back, 'message')}` : '',
)
</script>

<template>
  <p class="work" aria-label="What the rule has done" role="group">
    <span>{{ said }}</span>
    <svg
      v-if="most"
      role="img"
      :aria-label="`Taken in each of 30 days, at most ${most} in one`"
      :width="30 * PITCH"
      :height="HEIGHT"
    >
      <title>Taken in each of 30 days, at most {{ most }} in one</title>
      <rect
        v-for="bar in bars"
        :key="bar.x"
        :class="{ none: bar.none }"
        :x="bar.x"
        :y="bar.y"
        :height="bar.height"
        width="3"
      />
    </svg>
    <span v-if="putBack" class="put-back">{{ putBack }}</span>
  </p>
</template>

<style scoped>
.work {
  grid-column: 1 / -1;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: end;
  min-height: 20px;
  margin-top: -12px;
  color: var(--ink-soft);
}

rect {
  fill: var(--spruce);
}

rect.none {
  fill: var(--line);
}

.put-back {
  color: var(--marigold);
  font-weight: 600;
}
</style>
