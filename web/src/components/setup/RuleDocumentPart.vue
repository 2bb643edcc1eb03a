<script setup lang="ts">
import { ref, shallowRef } from 'vue'

import { RefusedError, type DocumentPreview, type LineChange } from '@/api/client'
import { countSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'

import GradeList from './GradeList.vue'
import ScriptPart from './ScriptPart.vue'

const acts = useActs()
const name = ref('')
const octets = shallowRef<ArrayBuffer>()
/** A document is JSON, an object; a script of RFC 5228 never begins with a bracket. */
const type = ref('application/json')
const preview = shallowRef<DocumentPreview>()
const refused = shallowRef<readonly { path: string; message: string }[]>([])
const busy = ref(false)

/** The document is sent as it is: the server alone says what is wrong in it, and where. */
async function send<T>(path: string): Promise<T> {
  const answer = await fetch(path, {
    method: 'POST',
    headers: { 'Content-Type': type.value },
    body: octets.value ?? new ArrayBuffer(0),
  })
  const answered: unknown = await answer.json()
  if (!answer.ok) throw new RefusedError(answered as RefusedError['problem'])
  return answered as T
}

async function look(files: FileList | null | undefined): Promise<void> {
  const file = files?.[0]
  if (!file) return
  name.value = file.name
  preview.value = undefined
  refused.value = []
  octets.value = await file.arrayBuffer()
  const isScript = !/^\s*\{/.test(await file.slice(0, 200).text())
  type.value = isScript ? 'application/sieve' : 'application/json'
  try {
    const previewed = await send<DocumentPreview>('/api/rules/document/preview')
    refused.value = previewed.refused
    if (previewed.refused.length === 0) preview.value = previewed
  } catch (error) {
    acts.fail(error)
  }
}

function chosen(event: Event): void {
  const input = event.target as HTMLInputElement
  void look(input.files).then(() => (input.value = ''))
}

async function take(): Promise<void> {
  busy.value = true
  await acts.attempt(async () => {
    const done = await send<LineChange>('/api/rules/document')
    preview.value = undefined
    return done.run_id === null
      ? { saying: 'Nothing in it was new' }
      : { saying: done.saying, runId: done.run_id }
  })
  busy.value = false
}
</script>

<template>
  <h2>Rules</h2>
  <p class="ways">
    <el-button tag="a" href="/api/rules/document">Save the rules as a document</el-button>
    <label class="file">
      <input
        class="visually-hidden"
        type="file"
        accept=".json,.sieve,.siv,application/json,application/sieve"
        @change="chosen"
      />
      <span>Take rules in from a file…</span>
    </label>
    <a href="/api/rules/schema">JSON Schema of the document</a>
  </p>
  <p class="hint below">The file may be a rule document or a Sieve script (RFC 5228).</p>
  <section v-if="refused.length" class="refused" aria-label="Why it is refused" role="alert">
    <p>
      <b>{{ name }}</b> is refused as a whole; nothing was taken in.
    </p>
    <ul>
      <li v-for="problem in refused" :key="problem.path + problem.message">
        <code v-if="problem.path">{{ problem.path }}</code> {{ problem.message }}
      </li>
    </ul>
  </section>
  <section v-if="preview" class="preview" aria-label="What it would change">
    <p>
      <b>{{ name }}</b>: {{ countSaying(preview.added.length, 'rule') }} added,
      {{ preview.changed.length }} changed, {{ preview.alike.length }} as they are. Nothing has
      happened yet.
    </p>
    <ul>
      <li v-for="rule in preview.added" :key="`a${rule.name}`">
        <b>Added: {{ rule.name }}</b>
        <p class="sentence">{{ rule.sentence }}</p>
      </li>
      <li v-for="rule in preview.changed" :key="`c${rule.name}`">
        <b>Changed: {{ rule.name }}</b>
        <p v-for="change in rule.changes" :key="change">{{ change }}</p>
      </li>
    </ul>
    <template v-if="preview.grades.length">
      <p>Not quite as the script did:</p>
      <GradeList :grades="preview.grades" />
    </template>
    <el-button
      type="primary"
      :disabled="busy || preview.added.length + preview.changed.length === 0"
      @click="take"
      >Take them in</el-button
    >
  </section>
  <ScriptPart />
</template>

<style scoped>
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 16px;
  align-items: center;
}

.below {
  margin-top: 6px;
}

.ways a {
  color: var(--spruce);
}

.file span {
  display: inline-block;
  padding: 5px 14px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  cursor: pointer;
}

.file:focus-within span {
  outline: 2px solid var(--spruce);
}

.preview,
.refused {
  margin-top: 12px;
  padding: 10px 14px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
}

.refused {
  border-color: var(--brick);
  color: var(--brick);
}

li {
  padding: 6px 0;
}

.sentence {
  font: italic 15px/21px var(--type-mail);
}
</style>
