<script setup lang="ts">
import { computed } from 'vue'

import { countSaying } from '@/rules/sayings'
import { useCatchUps } from '@/stores/catch-ups'

defineOptions({ inheritAttrs: false })
/** brief: where it stands beside its name */
defineProps<{ brief?: boolean }>()
const catchUps = useCatchUps()

const saying = computed(() => {
  const now = catchUps.job
  if (!now) return ''
  if (now.problem) return `waits: ${now.problem}`
  if (now.state === 'waiting') return 'waits for its turn'
  const left = catchUps.left()
  const soon = left === undefined || left < 1 ? '' : `, about ${countSaying(left, 'second')} left`
  return `${now.done.toLocaleString('en-GB')} of ${now.total.toLocaleString('en-GB')}${soon}`
})
</script>

<template>
  <!-- By ear: that it began here, that it ended by the note; not each step between. -->
  <p v-if="catchUps.job && !brief" class="visually-hidden" role="status">
    Going on: {{ catchUps.job.saying }}
  </p>
  <p v-if="catchUps.job" v-bind="$attrs" class="progress">
    <span v-if="!brief" class="one-line name">{{ catchUps.job.saying }}</span>
    <span class="one-line" :title="saying">{{ saying }}</span>
    <progress
      :value="catchUps.job.done"
      :max="Math.max(1, catchUps.job.total)"
      aria-label="Catch-up"
    ></progress>
    <button class="text-button" type="button" @click="catchUps.stop">Stop</button>
  </p>
</template>

<style scoped>
.progress {
  display: flex;
  gap: 12px;
  align-items: center;
  min-width: 0;
}

/* Where there is little room, its name is cut before how far it has come. */
.name {
  flex: 1 1 0;
}

progress {
  flex: none;
  width: 110px;
  accent-color: var(--spruce);
}
</style>
