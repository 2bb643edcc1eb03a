<script setup lang="ts">
import { Paperclip } from '@element-plus/icons-vue'
import { computed } from 'vue'

import type { Message } from '@/api/client'
import { KIND_NAMES } from '@/mail/kinds'
import { dayInSentence, timeSaying } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

const props = defineProps<{
  message: Message
  current: boolean
  selected: boolean
  /** Tab comes to one row of the list, arrows go on from there: a long list is no trap. */
  reachedByTab: boolean
  to: string
  /** Where the list holds several folders, each row names its own. */
  showsFolder: boolean
}>()
const emit = defineEmits<{
  /** A click on the row: with Shift a range, with Ctrl one more; plain opens it. */
  press: [event: MouseEvent]
  tick: [event: Event]
}>()
const mailbox = useMailbox()

const swatches = computed(() =>
  props.message.labels.map((name) => ({
    name,
    colour: mailbox.colourOf.get(name.toLowerCase()) ?? 'slate',
  })),
)

function day(date: string): string {
  return dayInSentence(new Date(date), new Date())
}

/** What kind of mail it is, where it is not from a person to a person. */
const kind = computed(() => KIND_NAMES[props.message.kind] ?? '')

const folder = computed(() => props.message.folder.split('/').at(-1) ?? '')
</script>

<template>
  <div
    class="row"
    :class="{ current, selected, unread: !message.seen }"
    :data-message="message.id"
    :style="message.colour ? { '--mark': `var(--${message.colour})` } : {}"
  >
    <input
      class="tick"
      type="checkbox"
      tabindex="-1"
      :checked="selected"
      :aria-label="`Select ${message.subject || 'No subject'}`"
      @change="emit('tick', $event)"
    />
    <RouterLink
      :to="to"
      class="open"
      :tabindex="reachedByTab ? 0 : -1"
      draggable="false"
      :aria-current="current ? 'true' : undefined"
      @click.capture="
        (event: MouseEvent) => {
          if (event.shiftKey || event.ctrlKey || event.metaKey) {
            event.preventDefault()
            event.stopPropagation()
            emit('press', event)
          }
        }
      "
    >
      <span v-if="!message.seen" class="visually-hidden">Unread.</span>
      <span v-if="selected" class="visually-hidden">Selected.</span>
      <span
        v-if="message.colour"
        class="mark"
        :title="`Coloured ${message.colour}`"
        :aria-label="`Coloured ${message.colour}.`"
        role="img"
      ></span>
      <span class="sender one-line">{{
        message.sender_name || message.sender_address || 'No sender'
      }}</span>
      <span class="signs">
        <span v-if="message.priority === 'high'" title="High importance"
          >▲<span class="visually-hidden">high</span></span
        >
        <span v-if="message.priority === 'low'" title="Low importance"
          >▽<span class="visually-hidden">low</span></span
        >
        <span v-if="message.flagged" class="flag" title="Flagged"
          >⚑<span class="visually-hidden">flagged</span></span
        >
        <template v-if="message.attachments"
          ><el-icon title="With attachment" aria-hidden="true"><Paperclip /></el-icon
          ><span class="visually-hidden">with attachment</span></template
        >
        <time :datetime="message.received">{{ timeSaying(new Date(message.received)) }}</time>
      </span>
      <span class="subject one-line"
        ><span v-if="kind" class="kind">{{ kind }}</span
        >{{ message.subject || 'No subject' }}</span
      >
      <span class="labels">
        <span
          v-for="swatch in swatches"
          :key="swatch.name"
          class="swatch"
          :style="{ background: `var(--${swatch.colour})` }"
          :title="`Label ${swatch.name}`"
        ></span>
      </span>
      <span class="why one-line">
        <template v-if="showsFolder"
          >{{ folder }}{{ mailbox.ofAccount(message.folder_id) }} ·
        </template>
        <template v-if="message.gone_at">leaves the trash {{ day(message.gone_at) }}</template>
        <template v-else-if="message.reason">
          {{ message.reason.saying }}
          <template v-if="!message.reason.rule_name">, {{ day(message.reason.at) }}</template>
          <b>{{ message.reason.rule_name }}</b>{{
            message.reason.because ? `: ${message.reason.because}` : ''
          }}
        </template>
        <template v-else>{{ message.preview }}</template>
      </span>
    </RouterLink>
  </div>
</template>

<style scoped>
.row {
  position: relative;
  height: 76px;
  border-bottom: 1px solid var(--line);
}

.open {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 0 8px;
  height: 100%;
  padding: 7px 16px 7px 18px;
  color: var(--ink);
  text-decoration: none;
}

.row:hover {
  background: var(--sheet);
}

.row.current {
  background: var(--sheet);
  box-shadow: inset 3px 0 0 var(--spruce);
}

.row.selected {
  background: var(--spruce-wash);
}

.open:focus-visible {
  outline-offset: -2px;
}

/* Left of the text, where the pointer is or something is selected. */
.tick {
  position: absolute;
  left: 0;
  top: 26px;
  z-index: 1;
  width: 16px;
  height: 24px;
  margin: 0;
  accent-color: var(--spruce);
  opacity: 0;
}

.row:hover .tick,
.row.selected .tick,
.tick:focus-visible {
  opacity: 1;
}

.mark {
  position: absolute;
  left: 7px;
  top: 11px;
  width: 6px;
  height: 14px;
  border-radius: 2px;
  background: var(--mark);
}

.sender {
  font-weight: 500;
}

.subject {
  font: 16px/20px var(--type-mail);
}

.kind {
  margin-right: 6px;
  padding: 0 5px;
  border: 1px solid var(--line);
  border-radius: 4px;
  color: var(--ink-soft);
  font: 500 12px/16px var(--type-interface);
  vertical-align: 1px;
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
.why,
.signs {
  color: var(--ink-soft);
  font-size: 13px;
}

.signs {
  display: flex;
  gap: 6px;
  align-items: center;
}

.flag {
  color: var(--brick);
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

/* A finger hovers over nothing, and ticks what it can hit. */
@media (max-width: 699px), (pointer: coarse) {
  .open {
    padding-left: 48px;
  }

  .tick {
    left: 0;
    top: 14px;
    width: 44px;
    height: 44px;
    padding: 14px;
    opacity: 1;
    appearance: none;
  }

  .tick::before {
    content: '';
    display: block;
    width: 16px;
    height: 16px;
    border: 1px solid var(--ink-soft);
    border-radius: 3px;
    background: var(--sheet);
  }

  .tick:checked::before {
    content: '✓';
    border-color: var(--spruce);
    background: var(--spruce);
    color: var(--on-spruce);
    font: 700 13px/16px var(--type-interface);
    text-align: center;
  }

  .mark {
    left: 36px;
  }
}
</style>
