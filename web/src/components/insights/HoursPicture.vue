<script setup lang="ts">
/**
 * When mail came: by weekday and hour, what reached the inbox beside what rules took away. Each bar
 * opens its mail; arrows go from one to the next.
 */
import { computed, nextTick, ref } from 'vue'

import { WEEKDAYS, type Mark } from '@/insights/marks'

const props = defineProps<{
  reached: readonly (readonly number[])[]
  spared: readonly (readonly number[])[]
}>()
const emit = defineEmits<{ open: [mark: Mark] }>()

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

function high(count: number): string {
  return count ? `${Math.max(2, (count / most.value) * HEIGHT)}px` : '0'
}

interface Bar extends Required<Mark> {
  count: number
  name: string
}
/** The bars of one hour: those that stand for mail. */
function bars(weekday: number, hour: number): Bar[] {
  const counts = { elsewhere: props.spared, inbox: props.reached }
  return (['elsewhere', 'inbox'] as const).map((came) => {
    const count = counts[came][weekday]?.[hour] ?? 0
    const what = came === 'inbox' ? 'reached the inbox' : 'taken away'
    return { came, weekday, hour, count, name: `${WEEKDAYS[weekday]} ${hour}:00: ${count} ${what}` }
  })
}
const all = computed(() =>
  WEEKDAYS.flatMap((_, weekday) => hours.value.flatMap((hour) => bars(weekday, hour))).filter(
    (bar) => bar.count,
  ),
)

/** The bar that Tab reaches, by its name. */
const current = ref('')
const root = ref<HTMLElement>()
function isReached(bar: Bar): boolean {
  return (
    bar.name === (all.value.find((other) => other.name === current.value) ?? all.value[0])?.name
  )
}
async function go(bar: Bar, step: number): Promise<void> {
  const at = all.value.findIndex((other) => other.name === bar.name)
  const next = all.value[Math.min(Math.max(at + step, 0), all.value.length - 1)]
  current.value = next?.name ?? ''
  await nextTick()
  root.value?.querySelector<HTMLElement>('button[tabindex="0"]')?.focus()
}
</script>

<template>
  <div
    ref="root"
    class="hours"
    role="group"
    aria-label="Mail by weekday and hour; arrows go from bar to bar, the numbers are in the table"
  >
    <template v-for="(day, weekday) in WEEKDAYS" :key="day">
      <span class="day" aria-hidden="true">{{ day.slice(0, 3) }}</span>
      <span v-for="hour in hours" :key="hour" class="cell">
        <template v-for="bar in bars(weekday, hour)" :key="bar.came">
          <button
            v-if="bar.count"
            type="button"
            :class="bar.came"
            :tabindex="isReached(bar) ? 0 : -1"
            :aria-label="bar.name"
            :title="bar.name"
            @click="emit('open', { came: bar.came, weekday, hour })"
            @focus="current = bar.name"
            @keydown.right.prevent="go(bar, 1)"
            @keydown.down.prevent="go(bar, 1)"
            @keydown.left.prevent="go(bar, -1)"
            @keydown.up.prevent="go(bar, -1)"
          >
            <i :style="{ height: high(bar.count) }"></i>
          </button>
          <span v-else class="none"></span>
        </template>
      </span>
    </template>
    <span></span>
    <span v-for="hour in hours" :key="hour" class="hour" aria-hidden="true">{{
      hour % 3 === 0 ? hour : ''
    }}</span>
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
  height: 24px;
  border-bottom: 1px solid var(--line);
}

/* The whole height can be pressed, however low its bar is. */
button,
.none {
  flex: 1;
  display: flex;
  align-items: end;
  min-width: 0;
  padding: 0;
  border: 0;
  background: none;
}

button:hover {
  background: var(--hover, var(--line));
}

i {
  flex: 1;
}

.elsewhere i {
  background: var(--line);
  border: solid var(--ink-soft);
  border-width: 1px 1px 0;
}

.inbox i {
  background: var(--marigold);
}

.hour {
  text-align: center;
}
</style>
