<script setup lang="ts">
/** When mail came: by weekday and hour, what reached the inbox beside what rules took away. */
import { computed } from 'vue'

const props = defineProps<{
  reached: readonly (readonly number[])[]
  spared: readonly (readonly number[])[]
  days: readonly string[]
}>()

const HEIGHT = 22

/** Hours in which mail came: those before and after are not drawn. */
const hours = computed(() => {
  const busy = Array.from({ length: 24 }, (_, hour) => hour).filter((hour) =>
    [...props.reached, ...props.spared].some((row) => row[hour]),
  )
  const [first, last] = [busy[0] ?? 8, busy.at(-1) ?? 17]
  return Array.from({ length: last - first + 1 }, (_, at) => first + at)
})
const most = computed(() => Math.max(1, ...[...props.reached, ...props.spared].flat()))

function high(count: number | undefined): string {
  return count ? `${Math.max(2, (count / most.value) * HEIGHT)}px` : '0'
}
</script>

<template>
  <div class="hours" role="img" aria-label="Mail by weekday and hour; its numbers are in the table">
    <template v-for="(day, at) in days" :key="day">
      <span class="day">{{ day.slice(0, 3) }}</span>
      <span
        v-for="hour in hours"
        :key="hour"
        class="cell"
        :title="`${day} ${hour}:00: ${reached[at]?.[hour] ?? 0} reached the inbox, ${spared[at]?.[hour] ?? 0} taken away`"
      >
        <i class="spared" :style="{ height: high(spared[at]?.[hour]) }"></i>
        <i class="reached" :style="{ height: high(reached[at]?.[hour]) }"></i>
      </span>
    </template>
    <span></span>
    <span v-for="hour in hours" :key="hour" class="hour">{{ hour % 3 === 0 ? hour : '' }}</span>
  </div>
</template>

<style scoped>
.hours {
  display: grid;
  grid-template-columns: 36px repeat(v-bind('hours.length'), minmax(6px, 1fr));
  gap: 4px 2px;
  max-width: 720px;
  font-size: 12px;
  color: var(--ink-soft);
}

.cell {
  display: flex;
  gap: 1px;
  align-items: end;
  height: 24px;
  border-bottom: 1px solid var(--line);
}

i {
  flex: 1;
}

.spared {
  background: var(--line);
  border: solid var(--ink-soft);
  border-width: 1px 1px 0;
}

.spared[style*='height: 0'] {
  border: 0;
}

.reached {
  background: var(--marigold);
}

.hour {
  text-align: center;
}
</style>
