<script setup lang="ts">
import { onMounted, ref } from 'vue'

const props = defineProps<{ name?: string; label: string; placeholder?: string }>()
const emit = defineEmits<{ done: [name: string] }>()

const typed = ref(props.name ?? '')
const input = ref<HTMLInputElement>()
let ended = false

/** Enter and a click elsewhere keep what was typed; Escape leaves everything as it was. */
function end(name: string): void {
  if (ended) return
  ended = true
  emit('done', name.trim())
}

onMounted(() => input.value?.select())
</script>

<template>
  <input
    ref="input"
    v-model="typed"
    class="typing"
    :aria-label="label"
    :placeholder="placeholder"
    @keydown.enter="end(typed)"
    @keydown.esc.stop="end('')"
    @blur="end(typed)"
  />
</template>

<style scoped>
.typing {
  width: 100%;
  padding: 4px 8px;
  border: 1px solid var(--spruce);
  border-radius: var(--radius);
  background: var(--sheet);
  color: var(--ink);
  font: inherit;
}
</style>
