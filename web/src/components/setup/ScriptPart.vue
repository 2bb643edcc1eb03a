<script setup lang="ts">
/** The line as a script for a mail server: looked at first, with what it will not say. */
import { computed, shallowRef } from 'vue'

import { api, content, type RuleScript } from '@/api/client'
import { countSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'

import GradeList from './GradeList.vue'

const acts = useActs()
const script = shallowRef<RuleScript>()

const counts = computed(() => {
  const grades = script.value?.grades ?? []
  const written = grades.filter((graded) => graded.written)
  const close = written.filter((graded) => graded.grade === 'close').length
  const here = grades.filter((graded) => graded.grade === 'no').length
  return `${countSaying(written.length, 'rule')} written, ${String(close)} of them close; ${String(here)} stay here`
})

async function look(): Promise<void> {
  try {
    script.value = await content(api.GET('/api/rules/sieve'))
  } catch (error) {
    acts.fail(error)
  }
}
</script>

<template>
  <h2>Rules as Sieve</h2>
  <p class="hint">
    Sieve (RFC 5228) is the open standard for rules that run on the mail server, whether Mnemic is
    open or not.
  </p>
  <p class="ways">
    <el-button v-if="!script" @click="look">Look at the script…</el-button>
    <el-button v-else tag="a" type="primary" href="/api/rules/sieve/file"
      >Save the script</el-button
    >
  </p>
  <section v-if="script" class="script" aria-label="The rules as a script">
    <p role="status">
      {{ counts }}.
      <template v-if="script.requires.length"
        >The server has to have: {{ script.requires.join(', ') }}.</template
      >
    </p>
    <GradeList :grades="script.grades" />
    <p class="hint">Of all texts: {{ script.folding }}.</p>
    <details>
      <summary>The script</summary>
      <!-- It scrolls by itself, so it can be reached by keyboard. -->
      <pre tabindex="0" role="region" aria-label="The script’s text">{{ script.text }}</pre>
    </details>
  </section>
</template>

<style scoped>
.ways {
  margin: 8px 0;
}

.script {
  margin-top: 12px;
  padding: 10px 14px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
}

summary {
  cursor: pointer;
}

pre {
  max-height: 420px;
  margin: 8px 0 0;
  padding: 8px 12px;
  overflow: auto;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
  border: 1px solid var(--line-soft);
  border-radius: var(--radius);
  background: var(--sheet-soft);
  font: 13px/19px monospace;
}
</style>
