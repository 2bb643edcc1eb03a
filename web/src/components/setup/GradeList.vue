<script setup lang="ts">
/** How near each rule and a script come to each other, and where they differ. */
import type { RuleGrade } from '@/api/client'

const props = defineProps<{
  grades: readonly RuleGrade[]
  /** Whether it is told on which side each rule runs. */
  where?: boolean
}>()

const WORDS = { same: 'the same', close: 'close', no: 'stays here', apart: 'a comment' }
const PLACES = { same: 'there', close: 'there, close', no: 'here', apart: 'not at all' }
function gradeSaying(ruleGrade: RuleGrade): string {
  const said = ruleGrade.written || ruleGrade.grade === 'no' ? ruleGrade.grade : 'apart'
  return (props.where ? PLACES : WORDS)[said]
}
</script>

<template>
  <table>
    <thead>
      <tr>
        <th>Rule</th>
        <th>{{ where ? 'Runs' : 'Grade' }}</th>
        <th>{{ where ? 'What differs, or why' : 'Where it differs' }}</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(graded, at) in grades" :key="at" :class="graded.written ? graded.grade : 'apart'">
        <td>{{ graded.name }}</td>
        <td class="grade">{{ gradeSaying(graded) }}</td>
        <td>
          <template v-if="graded.why.length">{{ graded.why.join('; ') }}</template>
          <template v-else-if="graded.grade === 'close'"
            >in what counts as the same letter</template
          >
          <template v-else>{{ where ? 'nothing' : 'nowhere' }}</template>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
table {
  width: 100%;
  margin: 6px 0 12px;
  border-collapse: collapse;
}

th {
  color: var(--ink-soft);
  font-weight: 600;
  text-align: left;
}

th,
td {
  padding: 4px 12px 4px 0;
  border-bottom: 1px solid var(--line-soft);
  vertical-align: top;
}

.grade {
  white-space: nowrap;
}

.same .grade {
  color: var(--spruce);
}

.apart .grade {
  font-weight: 600;
}

th:first-child {
  min-width: 150px;
}
</style>
