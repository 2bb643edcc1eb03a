<script setup lang="ts">
import { computed } from 'vue'

import type { Folder } from '@/api/client'
import { useMailbox } from '@/stores/mailbox'

const mailbox = useMailbox()
const props = defineProps<{ kind: string; place: number | undefined }>()

function depth(folder: Folder): number {
  return folder.path.split('/').length - 1
}

/** A folder that holds nothing itself, and those below it, still stand in their places. */
const folders = computed(() =>
  mailbox.folders.map((folder) => ({
    ...folder,
    name: folder.path.split('/').at(-1) ?? folder.path,
    indent: depth(folder) * 16,
  })),
)

function isCurrent(kind: string, id: number): boolean {
  return props.kind === kind && props.place === id
}
</script>

<template>
  <nav class="places" aria-label="Folders and labels">
    <ul>
      <li v-for="folder in folders" :key="folder.id">
        <RouterLink
          :to="`/mail/folder/${folder.id}`"
          class="place"
          :class="{ current: isCurrent('folder', folder.id), unread: folder.unread > 0 }"
          :aria-current="isCurrent('folder', folder.id) ? 'true' : undefined"
          :style="{ paddingLeft: `${8 + folder.indent}px` }"
          :title="`${folder.path}: ${folder.total} messages, ${folder.unread} unread`"
        >
          <span class="one-line">{{ folder.name }}</span>
          <span v-if="folder.unread" class="count">
            {{ folder.unread }}<span class="visually-hidden"> unread</span>
          </span>
        </RouterLink>
      </li>
    </ul>
    <template v-if="mailbox.labels.length">
      <h2>Labels</h2>
      <ul>
        <li v-for="label in mailbox.labels" :key="label.id">
          <RouterLink
            :to="`/mail/label/${label.id}`"
            class="place"
            :class="{ current: isCurrent('label', label.id), unread: label.unread > 0 }"
            :aria-current="isCurrent('label', label.id) ? 'true' : undefined"
            :title="`${label.name} (${label.colour}): ${label.total} messages, ${label.unread} unread`"
          >
            <span class="swatch" :style="{ background: `var(--${label.colour})` }"></span>
            <span class="one-line">{{ label.name }}</span>
            <span v-if="label.unread" class="count">
              {{ label.unread }}<span class="visually-hidden"> unread</span>
            </span>
          </RouterLink>
        </li>
      </ul>
    </template>
  </nav>
</template>

<style scoped>
.places {
  overflow-y: auto;
  padding: 12px 10px;
}

h2 {
  margin: 16px 8px 4px;
  font-size: 13px;
  font-weight: 500;
  color: var(--ink-soft);
}

.place {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 4px 8px;
  border-radius: var(--radius);
  color: var(--ink);
  text-decoration: none;
}

.place:hover {
  background: var(--line-soft);
}

.place.current {
  background: var(--spruce-wash);
  font-weight: 600;
}

.count {
  margin-left: auto;
  color: var(--ink-soft);
}
</style>
