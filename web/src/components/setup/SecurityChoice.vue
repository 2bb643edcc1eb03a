<script setup lang="ts">
import type { Security, SecurityOffer } from '@/mail/securities'

defineProps<{ id: string; value: Security; choices: readonly SecurityOffer[] }>()
const emit = defineEmits<{ change: [security: Security] }>()

function changed(event: Event): void {
  if (event.target instanceof HTMLSelectElement) emit('change', event.target.value as Security)
}
</script>

<template>
  <select :id="id" class="field" :value="value" @change="changed">
    <option v-for="choice in choices" :key="choice.value" :value="choice.value">
      {{ choice.label }}
    </option>
  </select>
</template>
