<script setup lang="ts">
import { computed } from 'vue'

import { api, content, type RuleVersion } from '@/api/client'
import { useAnswer } from '@/composables/useAnswer'
import { momentSaying } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'
import { useWorkbench } from '@/stores/workbench'

const props = defineProps<{ id: number }>()
const emit = defineEmits<{ close: [] }>()
const workbench = useWorkbench()
const mailbox = useMailbox()

const { answer, failure } = useAnswer([() => props.id, () => mailbox.version], (signal) => {
  const params = { path: { rule_id: props.id } }
  return content(api.GET('/api/rules/{rule_id}/versions', { params, signal }))
})
const versions = computed(() => answer.value?.versions)

function bringBack(version: RuleVersion): void {
  workbench.bringBack(version.rule)
  emit('close')
}

function when(at: string | null): string {
  return at === null ? 'before the first change' : momentSaying(new Date(at), new Date())
}
</script>

<template>
  <section class="versions" aria-label="Earlier versions">
    <p class="back">
      <button class="text-button" type="button" @click="emit('close')">← Rehearsal</button>
    </p>
    <h2>Versions of this rule</h2>
    <p v-if="failure" class="hint" role="alert">{{ failure }}</p>
    <p v-else-if="versions?.length === 0" class="hint">
      It has not been changed since it was made.
    </p>
    <ol>
      <li v-for="(version, index) in versions" :key="index">
        <p class="head">
          <b>{{ index === 0 ? 'Now' : version.rule.name }}</b>
          <span>{{ when(version.at) }}</span>
        </p>
        <p v-for="change in version.changes" :key="change" class="change">{{ change }}</p>
        <p class="sentence">{{ version.sentence }}</p>
        <p v-if="index > 0">
          <button class="text-button" type="button" @click="bringBack(version)">
            Bring it back
          </button>
        </p>
      </li>
    </ol>
  </section>
</template>

<style scoped>
.versions {
  overflow-y: auto;
  padding: 12px 16px 24px;
}

h2 {
  margin: 10px 0 4px;
  font-size: 13px;
  font-weight: 600;
  color: var(--ink-soft);
}

li {
  padding: 10px 0;
  border-top: 1px solid var(--line);
  overflow-wrap: anywhere;
}

.head {
  display: flex;
  justify-content: space-between;
}

.head span,
.change,
.hint {
  color: var(--ink-soft);
}

.sentence {
  font: italic 15px/21px var(--type-mail);
}
</style>
