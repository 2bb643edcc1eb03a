<script setup lang="ts">
import { computed } from 'vue'

import { subjectOf, SUBJECTS, testLabel } from '@/rules/conditions'
import { valuesOf, type DraftCondition } from '@/rules/draft'
import { testSaying } from '@/rules/test-saying'

import ValueInput from './ValueInput.vue'

const condition = defineModel<DraftCondition>({ required: true })
defineProps<{ number: number; alone: boolean; takes: number | undefined; complaint: string }>()
const emit = defineEmits<{ remove: [] }>()

const subject = computed(() => subjectOf(condition.value.subject))

/** As wide as what is chosen, so that the values get the rest of the line. */
function width(label: string): { width: string } {
  return { width: `${label.length * 6.8 + 27}px` }
}

/** Whether values are picked from a few: then they mean nothing to another subject. */
function picked(key: string): boolean {
  return subjectOf(key).choices !== undefined
}

/** Another subject keeps what was typed, and with it the test where it has it too. */
function choose(key: string): void {
  const { tests } = subjectOf(key)
  const begun = valuesOf(condition.value).length > 0
  const test = begun && tests.includes(condition.value.test) ? condition.value.test : tests[0]
  const values = picked(condition.value.subject) || picked(key) ? [] : condition.value.values
  const next = { ...condition.value, subject: key, test: test ?? condition.value.test, values }
  condition.value = picked(key) ? { ...next, typed: '' } : next
}
</script>

<template>
  <li v-if="condition.kept" class="condition">
    <span class="kept">{{ testSaying(condition.kept) }}</span>
    <span class="takes">{{ takes?.toLocaleString('en-GB') ?? '' }}</span>
    <button
      class="remove"
      type="button"
      :disabled="alone"
      :aria-label="`Remove condition ${number}`"
      title="Remove this condition"
      @click="emit('remove')"
    >
      ×
    </button>
  </li>
  <li v-else class="condition">
    <el-select
      class="piece"
      suffix-icon=""
      :style="width(subject.label)"
      :fit-input-width="false"
      :model-value="condition.subject"
      :aria-label="`Condition ${number}: what is looked at`"
      :teleported="false"
      @update:model-value="choose"
    >
      <el-option v-for="each in SUBJECTS" :key="each.key" :value="each.key" :label="each.label" />
    </el-select>
    <el-select
      v-model="condition.test"
      class="piece"
      suffix-icon=""
      :style="width(testLabel(condition.test))"
      :fit-input-width="false"
      :aria-label="`Condition ${number}: test`"
      :teleported="false"
    >
      <el-option v-for="each in subject.tests" :key="each" :value="each" :label="testLabel(each)" />
    </el-select>
    <ValueInput
      v-model:values="condition.values"
      v-model:typed="condition.typed"
      class="value"
      :subject="subject"
      :name="`Condition ${number}: ${subject.label} ${testLabel(condition.test)}`"
    />
    <span class="takes" :title="takes === undefined ? '' : `${takes} messages here by itself`">
      {{ takes?.toLocaleString('en-GB') ?? '' }}
    </span>
    <button
      class="remove"
      type="button"
      :disabled="alone"
      :aria-label="`Remove condition ${number}`"
      title="Remove this condition"
      @click="emit('remove')"
    >
      ×
    </button>
    <p v-if="complaint" class="complaint" role="alert">{{ complaint }}</p>
  </li>
</template>

<style scoped>
.condition {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: flex-start;
}

.piece {
  flex: none;
}

.piece :deep(.el-select__wrapper) {
  padding: 4px 8px;
  background: var(--ground);
}

.kept {
  flex: 1;
  min-width: 0;
  padding: 5px 8px;
  border: 1px dashed var(--line);
  border-radius: var(--radius);
  overflow-wrap: anywhere;
}

.value {
  flex: 1 1 140px;
  min-width: 0;
}

.takes {
  width: 32px;
  line-height: 32px;
  text-align: right;
  color: var(--ink-soft);
}

.remove {
  width: 18px;
  padding: 0;
  border: 0;
  background: none;
  font-size: 18px;
  line-height: 30px;
  color: var(--ink-soft);
  border-radius: var(--radius);
  cursor: pointer;
}

.remove:hover:enabled {
  background: var(--brick-wash);
  color: var(--brick);
}

.remove:disabled {
  visibility: hidden;
}

.complaint {
  flex: 1 0 100%;
  color: var(--brick);
}
</style>
