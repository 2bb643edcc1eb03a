<script setup lang="ts">
import { computed } from 'vue'

import type { Message } from '@/api/client'
import { becauseSaying, timeSaying } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

const props = defineProps<{ message: Message; current: boolean; to: string }>()
const mailbox = useMailbox()

const because = computed(() =>
  props.message.placed_by ? becauseSaying(props.message.placed_by) : '',
)
const swatches = computed(() =>
  props.message.labels.map((name) => ({
    name,
    colour: mailbox.colourOf.get(name.toLowerCase()) ?? 'slate',
  })),
)
</script>

<template>
  <RouterLink
    :to="to"
    class="row"
    :class="{ current, unread: !message.seen }"
    :aria-current="current ? 'true' : undefined"
    :data-message="message.id"
  >
    <span v-if="!message.seen" class="visually-hidden">Unread.</span>
    <span class="sender one-line">{{
      message.sender_name || message.sender_address || 'No sender'
    }}</span>
    <time :datetime="message.received">{{ timeSaying(new Date(message.received)) }}</time>
    <span class="subject one-line">{{ message.subject || 'No subject' }}</span>
    <span class="labels">
      <span
        v-for="each in swatches"
        :key="each.name"
        class="swatch"
        :style="{ background: `var(--${each.colour})` }"
        :title="`Label ${each.name}`"
      ></span>
    </span>
    <span class="why one-line">
      <template v-if="message.placed_by">
        {{ message.placed_by.folder ? 'here by' : 'labelled by' }}
        <b>{{ message.placed_by.rule_name }}</b>: {{ because }}
      </template>
      <template v-else>{{ message.preview }}</template>
    </span>
  </RouterLink>
</template>

<style scoped>
.row {
  position: relative;
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 8px;
  padding: 7px 16px 7px 18px;
  border-bottom: 1px solid var(--line);
  color: var(--ink);
  text-decoration: none;
  scroll-margin: 32px 0 0;
}

.row:hover {
  background: var(--sheet);
}

.row.current {
  background: var(--sheet);
  box-shadow: inset 3px 0 0 var(--spruce);
}

.row:focus-visible {
  outline-offset: -2px;
}

.sender {
  font-weight: 500;
}

.subject {
  font: 16px/20px var(--type-mail);
}

.unread .sender,
.unread .subject {
  font-weight: 700;
}

/* A folded corner: unread. */
.unread::before {
  content: '';
  position: absolute;
  top: 0;
  left: 0;
  border: 6px solid var(--spruce);
  border-right-color: transparent;
  border-bottom-color: transparent;
}

.why {
  grid-column: 1 / -1;
}

time,
.why {
  color: var(--ink-soft);
  font-size: 13px;
}

.why b {
  color: var(--spruce);
  font-weight: 600;
}

.labels {
  display: flex;
  gap: 4px;
  align-items: center;
  justify-content: flex-end;
}
</style>
