<script setup lang="ts">
import { computed } from 'vue'

import type { Action } from '@/api/client'
import { COLOURS, type Colour } from '@/mail/colours'
import { actionKind, SOUNDS, type Sound } from '@/rules/actions'
import { countSaying, spokenPath } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

type Level = Extract<Action, { do: 'priority' }>['level']

const action = defineModel<Action>({ required: true })
const emit = defineEmits<{ remove: [] }>()
const mailbox = useMailbox()

interface Choice {
  value: string
  label: string
}

/** What is picked from a list, or typed where it may be new. */
interface Picked {
  name: string
  placeholder?: string
  typed?: boolean
  clearable?: boolean
  value: string | null
  choices: Choice[]
  made: (value: string) => Action
}

const asTheyAre = (values: readonly string[]): Choice[] =>
  values.map((value) => ({ value, label: value }))

const picked = computed<Picked | undefined>(() => {
  const now = action.value
  switch (now.do) {
    case 'copy':
      return {
        name: 'Copy to folder',
        placeholder: 'which folder?',
        typed: true,
        value: now.folder,
        choices: mailbox.folders.map(({ path }) => ({ value: path, label: spokenPath(path) })),
        made: (folder) => ({ do: 'copy', folder }),
      }
    case 'unlabel':
      return {
        name: 'Label to take off',
        placeholder: 'which label?',
        typed: true,
        value: now.label,
        choices: asTheyAre(mailbox.labels.map((each) => each.name)),
        made: (label) => ({ do: 'unlabel', label }),
      }
    case 'colour':
      return {
        name: 'Colour',
        value: now.colour,
        choices: asTheyAre(COLOURS),
        made: (colour) => ({ do: 'colour', colour: colour as Colour }),
      }
    case 'priority':
      return {
        name: 'Priority',
        value: now.level,
        choices: asTheyAre(['high', 'normal', 'low']),
        made: (level) => ({ do: 'priority', level: level as Level }),
      }
    case 'notify':
      return {
        name: 'Sound',
        placeholder: 'the usual sound',
        clearable: true,
        value: now.sound ?? null,
        choices: asTheyAre(SOUNDS),
        made: (sound) => ({ do: 'notify', sound: sound as Sound | null }),
      }
    default:
      return undefined
  }
})

function put(next: Action): void {
  action.value = next
}
</script>

<template>
  <div class="row">
    <span class="does">{{ actionKind(action.do)?.label ?? action.do }}</span>
    <el-select
      v-if="picked"
      class="what"
      :filterable="picked.typed"
      :allow-create="picked.typed"
      :default-first-option="picked.typed"
      :clearable="picked.clearable"
      :value-on-clear="null"
      :aria-label="picked.name"
      :placeholder="picked.placeholder"
      :teleported="false"
      :model-value="picked.value"
      @update:model-value="(value: string) => put(picked!.made(value))"
    >
      <template v-if="action.do === 'colour'" #prefix>
        <span class="swatch" :style="{ background: `var(--${action.colour})` }"></span>
      </template>
      <el-option
        v-for="each in picked.choices"
        :key="each.value"
        :value="each.value"
        :label="each.label"
      >
        <template v-if="action.do === 'colour'">
          <span class="swatch" :style="{ background: `var(--${each.value})` }"></span>
          {{ each.label }}
        </template>
      </el-option>
    </el-select>
    <el-select
      v-else-if="action.do === 'forward'"
      class="what"
      multiple
      filterable
      allow-create
      default-first-option
      aria-label="Forward to"
      placeholder="name@domain"
      :reserve-keyword="false"
      :teleported="false"
      :model-value="[...action.to]"
      @update:model-value="(to: string[]) => put({ do: 'forward', to })"
    />
    <div v-else-if="action.do === 'reply'" class="what">
      <el-input
        type="textarea"
        :autosize="{ minRows: 2, maxRows: 6 }"
        aria-label="Text of the answer"
        placeholder="What to answer"
        :model-value="action.text"
        @update:model-value="(text: string) => action.do === 'reply' && put({ ...action, text })"
      />
      <span class="hint">
        once in
        <input
          class="days"
          type="number"
          min="1"
          max="3650"
          aria-label="Days between two answers to one sender"
          :value="action.every"
          @change="
            (event) =>
              action.do === 'reply' &&
              put({ ...action, every: Number((event.target as HTMLInputElement).value) || 7 })
          "
        />
        days to one sender
      </span>
    </div>
    <span v-else-if="action.do === 'erase'" class="what hint">
      held back for {{ countSaying(mailbox.undoDays, 'day') }}, so that Undo brings it back; then
      gone for good
    </span>
    <span v-else class="what"></span>
    <button
      class="remove"
      type="button"
      :aria-label="`Remove: ${actionKind(action.do)?.label ?? action.do}`"
      @click="emit('remove')"
    >
      ×
    </button>
  </div>
</template>

<style scoped>
.row {
  display: contents;
}

.does {
  line-height: 32px;
}

.what {
  width: 100%;
}

.hint {
  color: var(--ink-soft);
  line-height: 20px;
  padding: 6px 0;
}

.days {
  width: 56px;
  padding: 2px 4px;
  border: 1px solid var(--line);
  border-radius: 4px;
  font: inherit;
}

.remove {
  justify-self: start;
  width: 22px;
  padding: 0;
  border: 0;
  border-radius: var(--radius);
  background: none;
  color: var(--ink-soft);
  font-size: 18px;
  line-height: 30px;
  cursor: pointer;
}

.remove:hover {
  background: var(--brick-wash);
  color: var(--brick);
}
</style>
