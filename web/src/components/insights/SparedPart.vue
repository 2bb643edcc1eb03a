<script setup lang="ts">
/** What rules have spared: the assumption is named, can be changed, and can be switched off. */
import { computed } from 'vue'

import { api, content } from '@/api/client'
import { countSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'

const props = defineProps<{ keptAway: number; messages: number; minutes: number }>()
const emit = defineEmits<{ changed: []; open: [] }>()
const acts = useActs()

/** A working day of eight hours. */
const WORKDAY = 8

const hours = computed(() => (props.keptAway * props.minutes) / 60)
const large = computed(() =>
  hours.value >= WORKDAY
    ? `${(hours.value / WORKDAY).toFixed(1)} working days`
    : `${hours.value.toFixed(1)} hours`,
)
const share = computed(() => Math.round((100 * props.keptAway) / Math.max(1, props.messages)))

async function set(minutes: number): Promise<void> {
  try {
    const preferences = await content(api.GET('/api/preferences'))
    const body = { ...preferences, interruption_minutes: minutes }
    await content(api.PUT('/api/preferences', { body }))
    emit('changed')
  } catch (error) {
    acts.fail(error)
  }
}
</script>

<template>
  <section aria-label="Interruptions spared">
    <template v-if="minutes">
      <p class="large">{{ large }}</p>
      <p>
        spared: rules kept
        <button class="text-button" type="button" :disabled="!keptAway" @click="emit('open')">
          {{ countSaying(keptAway, 'message') }}
        </button>
        from the inbox as
        {{ keptAway === 1 ? 'it' : 'they' }} came<template v-if="hours >= WORKDAY"
          >, {{ hours.toFixed(0) }} hours</template
        >. That is {{ share }}% of all mail; a fifth is the trade’s rule of thumb.
      </p>
      <p class="assumed">
        At
        <label>
          <span class="visually-hidden">Minutes that an interruption costs</span>
          <select
            :value="minutes"
            @change="(event) => set(Number((event.target as HTMLSelectElement).value))"
          >
            <option v-for="choice in 4" :key="choice" :value="choice">
              {{ countSaying(choice, 'minute') }}
            </option>
          </select>
        </label>
        each: one to four are common practice, nobody has measured yours.
        <button class="text-button" type="button" @click="set(0)">Don’t count this</button>
      </p>
    </template>
    <p v-else>
      Rules kept {{ countSaying(keptAway, 'message') }} from the inbox, {{ share }}% of all mail.
      <button class="text-button" type="button" @click="set(2)">Count the time it spared</button>
    </p>
  </section>
</template>

<style scoped>
section {
  margin-bottom: 28px;
}

.large {
  font: 500 36px/44px var(--type-mail);
  color: var(--ink);
}

p {
  max-width: 62ch;
  color: var(--ink-soft);
}

.assumed {
  margin-top: 4px;
}

select {
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  color: var(--ink);
  font: inherit;
}
</style>
