<script setup lang="ts">
import { computed, ref } from 'vue'

import { useUploads } from '@/composables/useUploads'
import { spokenPath } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

import RuleDocumentPart from './RuleDocumentPart.vue'

const mailbox = useMailbox()
const sort = ref(true)
const over = ref(false)
const { uploads, take } = useUploads(() => {
  void mailbox.refresh()
})

function chosen(event: Event): void {
  const input = event.target as HTMLInputElement
  const files = [...(input.files ?? [])]
  input.value = ''
  void take(files, sort.value)
}

function dropped(event: DragEvent): void {
  over.value = false
  void take([...(event.dataTransfer?.files ?? [])], sort.value)
}

const folder = ref<number>()
const format = ref<'mbox' | 'maildir'>('mbox')
const exportAddress = computed(() => {
  const what = folder.value ?? mailbox.inbox?.id ?? 0
  return `/api/export?folder=${what}&format=${format.value}`
})
</script>

<template>
  <p class="lead">
    Mail comes in and goes out in open formats: single messages (.eml), mbox files and Maildir
    folders (in a .tar). The same message is taken in once, however often it is imported.
  </p>
  <h2>Import</h2>
  <label
    class="drop"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="dropped"
  >
    <input
      class="visually-hidden"
      type="file"
      multiple
      accept=".eml,.mbox,.tar,.gz,.tgz,message/rfc822,application/mbox"
      @change="chosen"
    />
    <b>Choose files</b> or drop them here
  </label>
  <p>
    <el-checkbox v-model="sort">Send them through the rules, as if they arrived now</el-checkbox>
  </p>
  <ul class="uploads" aria-label="Imports">
    <li v-for="upload in uploads" :key="upload.key" :class="{ failed: upload.failed }">
      <b class="one-line">{{ upload.name }}</b>
      <progress :value="upload.done" max="1" :aria-label="`Import of ${upload.name}`"></progress>
      <span role="status">{{ upload.saying }}</span>
    </li>
  </ul>
  <p class="hint">
    Files that are put into the drop folder (<code>drop</code>, beside the database) are taken in as
    well, and moved to <code>drop/taken</code>, each with a note of what came of it.
  </p>
  <h2>Export</h2>
  <form aria-label="Export" @submit.prevent>
    <label for="export-folder">Folder</label>
    <el-select
      id="export-folder"
      v-model="folder"
      filterable
      placeholder="Inbox"
      aria-label="Folder to export"
      :teleported="false"
    >
      <el-option
        v-for="offered in mailbox.folders"
        :key="offered.id"
        :value="offered.id"
        :label="`${spokenPath(offered.path)} (${offered.total})`"
      />
    </el-select>
    <label for="export-format">Format</label>
    <el-radio-group id="export-format" v-model="format" aria-label="Format">
      <el-radio value="mbox">mbox, one file</el-radio>
      <el-radio value="maildir">Maildir, one file a message, with flags (.tar)</el-radio>
    </el-radio-group>
    <div class="wide">
      <el-button tag="a" :href="exportAddress">Save it</el-button>
      <span class="hint">A search’s result is saved from the search itself.</span>
    </div>
  </form>
  <RuleDocumentPart />
</template>

<style scoped>
.drop {
  display: block;
  padding: 22px;
  border: 1.5px dashed var(--line);
  border-radius: var(--radius);
  background: var(--sheet-soft);
  color: var(--ink-soft);
  text-align: center;
  cursor: pointer;
}

.drop b {
  color: var(--spruce);
}

.drop.over,
.drop:focus-within {
  border-color: var(--spruce);
  background: var(--spruce-wash);
}

.uploads {
}

.uploads li {
  display: grid;
  grid-template-columns: 180px 160px 1fr;
  gap: 12px;
  padding: 5px 0;
}

.uploads .failed span {
  color: var(--brick);
}

progress {
  width: 100%;
  height: 20px;
  accent-color: var(--spruce);
}
</style>
