<script setup lang="ts">
import {
  Bell,
  CollectionTag,
  Delete,
  DocumentCopy,
  Files,
  Flag,
  FolderOpened,
  Message,
  Promotion,
  View,
} from '@element-plus/icons-vue'
import { computed } from 'vue'

import type { Action, StoredRule } from '@/api/client'
import { doesSaying } from '@/rules/actions'

const props = defineProps<{
  stored: StoredRule
  colour: string
  current: boolean
  chosen: boolean
  unsaved: boolean
  /** Where a rule for a time stands. */
  season: 'waits' | 'over' | undefined
  /** What the order check and pinned examples say of it. */
  notes: readonly string[]
}>()
const emit = defineEmits<{
  press: [event: MouseEvent]
  toggle: []
  move: [by: -1 | 1]
  step: [by: -1 | 1]
}>()

const GLYPHS: Partial<Record<Action['do'], typeof Delete>> = {
  file: FolderOpened,
  copy: DocumentCopy,
  label: CollectionTag,
  unlabel: CollectionTag,
  archive: Files,
  keep: Message,
  trash: Delete,
  erase: Delete,
  flag: Flag,
  unflag: Flag,
  read: View,
  unread: View,
  forward: Promotion,
  reply: Promotion,
  notify: Bell,
}
const glyph = computed(() => GLYPHS[props.stored.rule.then[0]?.do ?? 'label'] ?? CollectionTag)
const note = computed(() => props.notes.join('. '))
</script>

<template>
  <li>
    <a
      :href="`/rules/${stored.id}`"
      class="rule"
      :class="{ current, chosen, off: !stored.rule.enabled || season }"
      :aria-current="current ? 'true' : undefined"
      :data-rule="stored.id"
      title="Drag, or Alt+Up and Alt+Down, to reorder; Ctrl or Shift to select several"
      @click.prevent="emit('press', $event)"
      @keydown.space.prevent="emit('toggle')"
      @keydown.alt.up.prevent="emit('move', -1)"
      @keydown.alt.down.prevent="emit('move', 1)"
      @keydown.up.exact.prevent="emit('step', -1)"
      @keydown.down.exact.prevent="emit('step', 1)"
    >
      <span class="name one-line">
        <template v-if="chosen">✓ </template>{{ stored.rule.name
        }}<span v-if="unsaved" class="unsaved" title="Changes not saved">
          ✎<span class="visually-hidden"> changes not saved</span></span
        >
      </span>
      <span class="taken">
        <template v-if="stored.rule.enabled && season">{{ season }}</template>
        <template v-else-if="stored.rule.enabled">
          {{ stored.taken.toLocaleString('en-GB')
          }}<span class="visually-hidden"> taken in 30 days</span>
        </template>
        <template v-else>off</template>
      </span>
      <span class="does" :class="note ? 'one-line' : 'two-lines'">
        <span class="swatch" :style="{ background: `var(--${colour})` }"></span>
        <el-icon class="glyph" :size="13" aria-hidden="true"><component :is="glyph" /></el-icon>
        {{ doesSaying(stored.rule) }}
      </span>
      <span v-if="note" class="note one-line" :title="note">{{ note }}</span>
    </a>
  </li>
</template>

<style scoped>
.rule {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 8px;
  padding: 4px 8px;
  border: 1px solid transparent;
  border-radius: var(--radius);
  color: var(--ink);
  text-decoration: none;
}

.rule:hover {
  background: var(--sheet);
}

/* Inside: a row out of sight is not laid out, and so shows nothing beyond its edges. */
.rule:focus-visible {
  outline-offset: -2px;
}

.rule.current {
  background: var(--sheet);
  border-color: var(--spruce);
}

.rule.chosen {
  background: var(--spruce-wash);
}

.name {
  font-weight: 600;
}

.unsaved,
.note {
  color: var(--marigold);
  font-weight: 600;
}

.taken,
.does {
  color: var(--ink-soft);
}

.does,
.note {
  grid-column: 1 / -1;
  font-size: 13px;
}

.glyph {
  margin-right: 2px;
  vertical-align: -2px;
}

.two-lines {
  display: -webkit-box;
  overflow: hidden;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  line-height: 17px;
}

.note {
  font-size: 12px;
  line-height: 17px;
}

.swatch {
  margin-right: 4px;
}

.off .name,
.off .does {
  color: var(--ink-soft);
  font-weight: 400;
  font-style: italic;
}
</style>
