<script setup lang="ts">
import { computed } from 'vue'

import { measureOf, UNITS, written, type Measure, type MeasureKind } from '@/rules/measures'

const values = defineModel<string[]>({ required: true })
const props = defineProps<{ kind: MeasureKind; name: string }>()

const measure = computed(() => measureOf(values.value[0], props.kind))
const units = computed(() => [...new Set([...UNITS[props.kind], measure.value.unit])])

function change(part: Partial<Measure>): void {
  values.value = written({ ...measure.value, ...part })
}
</script>

<template>
  <span class="measure">
    <el-input-number
      class="amount"
      :min="0"
      :precision="0"
      :controls="false"
      :aria-label="name"
      :model-value="measure.amount"
      @update:model-value="(amount: number | undefined) => change({ amount })"
    />
    <el-select
      class="unit"
      :aria-label="`${name}: unit`"
      :teleported="false"
      :model-value="measure.unit"
      @update:model-value="(unit: string) => change({ unit })"
    >
      <el-option v-for="unit in units" :key="unit" :value="unit" :label="unit" />
    </el-select>
  </span>
</template>

<style scoped>
.measure {
  display: flex;
  gap: 4px;
}

.amount {
  width: 84px;
}

.unit {
  width: 100px;
}
</style>
