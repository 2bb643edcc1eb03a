<script setup lang="ts">
/** A calendar day, typed or picked; empty for none. Weeks begin on Monday (ISO 8601). */
import dayjs from 'dayjs'

const english = dayjs.Ls['en']
if (english) english.weekStart = 1

defineProps<{ name: string; id?: string }>()
const day = defineModel<string>({ required: true })
</script>

<template>
  <el-date-picker
    :id="id"
    class="day"
    type="date"
    format="YYYY-MM-DD"
    value-format="YYYY-MM-DD"
    placeholder="year-month-day"
    :aria-label="name"
    :model-value="day"
    @update:model-value="(picked: string | null) => (day = picked ?? '')"
  />
</template>

<style scoped>
:deep(.el-input__inner),
:global(.day.el-date-editor.el-input) {
  width: 160px;
}
</style>
