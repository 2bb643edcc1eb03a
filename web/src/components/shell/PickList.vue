<script setup lang="ts">
import { useTimeoutFn } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, useId, watch } from 'vue'

import { useListBox } from '@/composables/useListBox'

export interface Choice {
  key: string
  label: string
  note?: string
  colour?: string
  chosen?: boolean
}

const props = defineProps<{
  choices: Choice[]
  placeholder: string
  /** What making a new one is called: “New folder”. Without it nothing can be made. */
  creates?: string
}>()
const emit = defineEmits<{ pick: [key: string]; create: [name: string] }>()

const typed = ref('')
const input = ref<HTMLInputElement>()

const matching = computed(() => {
  const text = typed.value.trim().toLowerCase()
  return props.choices.filter((choice) => choice.label.toLowerCase().includes(text))
})
const canCreate = computed(() => {
  const text = typed.value.trim().toLowerCase()
  return (
    props.creates !== undefined &&
    text !== '' &&
    !props.choices.some((choice) => choice.label.toLowerCase() === text)
  )
})
const size = computed(() => matching.value.length + (canCreate.value ? 1 : 0))

const id = useId()
const { active, optionId, activeId, step, restart } = useListBox(id, () => size.value, 0)
watch(typed, restart)

function choose(at: number): void {
  const choice = matching.value[at]
  if (choice) emit('pick', choice.key)
  else if (canCreate.value) emit('create', typed.value.trim())
}

// Whoever opened it gets the focus back.
const before = document.activeElement
onBeforeUnmount(() => {
  if (input.value !== document.activeElement) return
  if (before instanceof HTMLElement) before.focus({ preventScroll: true })
})

// The popover places itself first; a focus before that would scroll the page.
useTimeoutFn(() => input.value?.focus({ preventScroll: true }), 60)
</script>

<template>
  <div class="pick">
    <input
      ref="input"
      v-model="typed"
      class="field"
      role="combobox"
      aria-expanded="true"
      :aria-controls="id"
      :aria-activedescendant="activeId()"
      :placeholder="placeholder"
      :aria-label="placeholder"
      @keydown.down.prevent="step(1)"
      @keydown.up.prevent="step(-1)"
      @keydown.enter.prevent="choose(active)"
    />
    <ul :id="id" role="listbox" :aria-label="placeholder">
      <li
        v-for="(choice, index) in matching"
        :id="optionId(index)"
        :key="choice.key"
        role="option"
        :aria-selected="index === active"
        @click="choose(index)"
        @mousemove="active = index"
      >
        <span class="tick">{{ choice.chosen ? '✓' : '' }}</span>
        <span
          v-if="choice.colour"
          class="swatch"
          :style="{ background: `var(--${choice.colour})` }"
        ></span>
        <span class="one-line">{{ choice.label }}</span>
        <span v-if="choice.note" class="note">{{ choice.note }}</span>
      </li>
      <li
        v-if="canCreate"
        :id="optionId(matching.length)"
        role="option"
        :aria-selected="active === matching.length"
        @click="choose(matching.length)"
        @mousemove="active = matching.length"
      >
        <span class="tick">+</span> {{ creates }} “{{ typed.trim() }}”
      </li>
    </ul>
    <p v-if="size === 0" class="none">Nothing of that name.</p>
  </div>
</template>

<style scoped>
input {
  width: 100%;
}

ul {
  max-height: 280px;
  margin-top: 6px;
  overflow-y: auto;
}

li {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 6px;
  border-radius: 4px;
  cursor: pointer;
}

li[aria-selected='true'] {
  background: var(--spruce-wash);
}

.tick {
  width: 12px;
  color: var(--spruce);
  font-weight: 700;
}

.note {
  margin-left: auto;
  color: var(--ink-soft);
  white-space: nowrap;
}

.none {
  padding: 4px 6px;
  color: var(--ink-soft);
}
</style>
