<script setup lang="ts">
import { computed } from 'vue'

import { measureOf, UNITS, written, type MeasureKind } from '@/rules/measures'

const values = defineModel<string[]>({ required: true })
const props = defineProps<{ kind: MeasureKind; name: string }>()

const measure = computed(() => measureOf(values.value[0], props.kind))
const units = computed(() => [...new Set([...UNITS[props.kind], measure.value.unit])])

function amount(event: Event): void {
  const typed = (event.target as HTMLInputElement).valueAsNumber
  values.value = written({ ...measure.value, amount: typed })
}

function unit(event: Event): void {
  values.value = written({ ...measure.value, unit: (event.target as HTMLSelectElement).value })
}
</script>

<template>
  <span class="measure">
    <input
      class="field"
      type="number"
      min="0"
      step="1"
      :aria-label="name"
      :value="measure.amount"
      @input="amount"
    />
    <select class="field" :aria-label="`${name}: unit`" :value="measure.unit" @change="unit">
      <option v-for="each in units" :key="each" :value="each">{{ each }}</option>
    </select>
  </span>
</template>

<style scoped>
.measure {
  display: flex;
  gap: 4px;
}

input {
  width: 84px;
}
</style>
