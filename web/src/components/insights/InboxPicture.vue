<script setup lang="ts">
/** The inbox over time: how much lay in it at the end of each day, and how much of it unread. */
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import type { Insights } from '@/api/client'
import { stillThere } from '@/insights/still-there'
import { findAddress } from '@/mail/find-address'

const props = defineProps<{ days: Insights['inbox'] }>()

const router = useRouter()

const HEIGHT = 120
const box = ref<HTMLElement>()
const { width } = useElementSize(box)
const most = computed(() => Math.max(1, ...props.days.map((day) => day.lies)))

const step = computed(() => width.value / Math.max(1, props.days.length - 1))
function line(of: 'lies' | 'unread'): string {
  return props.days
    .map((day, at) => `${at * step.value},${HEIGHT - (day[of] / most.value) * (HEIGHT - 4)}`)
    .join(' ')
}
const label = computed(() => {
  const [first, last] = [props.days[0], props.days.at(-1)]
  return `From ${first?.lies ?? 0} messages, ${first?.unread ?? 0} of them unread, to ${last?.lies ?? 0}, ${last?.unread ?? 0} unread; at most ${most.value}`
})
</script>

<template>
  <div ref="box">
    <svg v-if="width" role="group" :aria-label="label" :width="width" :height="HEIGHT + 2">
      <polygon class="unread" :points="`0,${HEIGHT} ${line('unread')} ${width},${HEIGHT}`" />
      <polyline class="lies" :points="line('lies')" />
      <a
        v-for="(day, at) in days"
        :key="day.day"
        :href="findAddress(stillThere(day.day))"
        tabindex="-1"
        aria-hidden="true"
        @click.prevent="router.push(findAddress(stillThere(day.day)))"
      >
        <title>
          {{ day.day }}: {{ day.lies }} lay in it, {{ day.unread }} unread; press for what still
          does
        </title>
        <rect :x="(at - 0.5) * step" :width="step" :height="HEIGHT" />
      </a>
    </svg>
    <p class="ends" aria-hidden="true">
      <span>{{ days[0]?.day }}</span><span>today</span>
    </p>
  </div>
</template>

<style scoped>
svg {
  display: block;
  border-bottom: 1px solid var(--line);
}

rect {
  fill: transparent;
}

a:hover rect {
  fill: var(--ink);
  fill-opacity: 0.08;
}

.lies {
  fill: none;
  stroke: var(--spruce);
  stroke-width: 2;
}

.unread {
  fill: var(--marigold);
  fill-opacity: 0.5;
  stroke: var(--marigold);
}

.ends {
  display: flex;
  justify-content: space-between;
  font-size: 12px;
  color: var(--ink-soft);
}
</style>
