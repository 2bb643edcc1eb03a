<script setup lang="ts">
import { computed } from 'vue'

import type { Action } from '@/api/client'
import { useClosingList } from '@/composables/useClosingList'
import { play } from '@/mail/sounds'
import { actionKind, actionLabel } from '@/rules/actions'
import { countSaying } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

import FieldComplaint from '@/components/shell/FieldComplaint.vue'

import ChosenTag from './ChosenTag.vue'
import PlaceSelect from './PlaceSelect.vue'

const action = defineModel<Action>({ required: true })
defineProps<{ complaint: string }>()
const emit = defineEmits<{ remove: [] }>()
const mailbox = useMailbox()

const kind = computed(() => actionKind(action.value.do))
const picked = computed(() => {
  const key = kind.value.picks?.key
  const value: unknown =
    key === undefined ? null : Object.entries(action.value).find(([name]) => name === key)?.[1]
  return typeof value === 'string' ? value : null
})

function pick(value: string | null): void {
  const { picks } = kind.value
  if (picks) put({ ...action.value, [picks.key]: value })
}

function put(next: Action): void {
  action.value = next
  if (next.do === 'notify') hear(next)
}

/** A sound is heard as it is chosen. */
function hear(now: Extract<Action, { do: 'notify' }>): void {
  play([now.sound ?? 'default'])
}

const close = useClosingList('addresses')
function forwardTo(to: string[]): void {
  put({ do: 'forward', to })
  close()
}
</script>

<template>
  <div class="row" data-field>
    <span class="does">{{ actionLabel(action.do) }}</span>
    <span v-if="kind.picks" class="what picked">
      <el-select
        :clearable="kind.picks.optional"
        :value-on-clear="null"
        :aria-label="kind.picks.label"
        :placeholder="kind.picks.optional ? `the usual ${kind.picks.label.toLowerCase()}` : ''"
        :teleported="false"
        :model-value="picked"
        @update:model-value="pick"
      >
        <template v-if="action.do === 'colour'" #prefix>
          <span class="swatch" :style="{ background: `var(--${action.colour})` }"></span>
        </template>
        <el-option v-for="value in kind.picks.values" :key="value" :value="value" :label="value">
          <template v-if="action.do === 'colour'">
            <span class="swatch" :style="{ background: `var(--${value})` }"></span>
            {{ value }}
          </template>
        </el-option>
      </el-select>
      <button
        v-if="action.do === 'notify'"
        class="text-button"
        type="button"
        title="Play the sound"
        @click="hear(action)"
      >
        Hear it
      </button>
    </span>
    <PlaceSelect
      v-else-if="action.do === 'copy'"
      class="what"
      kind="folder"
      name="Copy to folder"
      placeholder="which folder? pick or type a new one"
      :model-value="action.folder"
      @update:model-value="(folder) => put({ do: 'copy', folder: String(folder) })"
    />
    <PlaceSelect
      v-else-if="action.do === 'unlabel'"
      class="what"
      kind="label"
      name="Label to take off"
      placeholder="which label?"
      :model-value="action.label"
      @update:model-value="(label) => put({ do: 'unlabel', label: String(label) })"
    />
    <el-select
      v-else-if="action.do === 'forward'"
      ref="addresses"
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
      @update:model-value="forwardTo"
    >
      <template #tag="{ data, deleteTag }">
        <ChosenTag
          v-for="option in data"
          :key="String(option.value)"
          :name="String(option.value)"
          @drop="(event) => deleteTag(event, option)"
        />
      </template>
    </el-select>
    <div v-else-if="action.do === 'reply'" class="what">
      <el-input
        class="subject"
        aria-label="Subject of the answer"
        placeholder="Subject; left empty: Re: and theirs"
        :model-value="action.subject ?? ''"
        @update:model-value="
          (subject: string) => action.do === 'reply' && put({ ...action, subject: subject || null })
        "
      />
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
        <el-input-number
          class="days"
          :min="1"
          :max="3650"
          :precision="0"
          :controls="false"
          aria-label="Days between two answers to one sender"
          :model-value="action.every"
          @change="
            (every: number | undefined) =>
              action.do === 'reply' && put({ ...action, every: every ?? 7 })
          "
        />
        days to one sender
      </span>
    </div>
    <span v-else-if="action.do === 'erase'" class="what hint">
      held back for {{ countSaying(mailbox.undoDays, 'day') }}, so that Undo brings it back; then
      gone for good
    </span>
    <span v-else-if="action.do === 'keep'" class="what hint">
      mail that is here already stays where it is
    </span>
    <span v-else class="what"></span>
    <button
      class="remove"
      type="button"
      :aria-label="`Remove: ${actionLabel(action.do)}`"
      @click="emit('remove')"
    >
      ×
    </button>
    <FieldComplaint class="complaint" :saying="complaint" />
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

.picked {
  display: flex;
  gap: 10px;
}

.picked button {
  flex: none;
}

.complaint {
  grid-column: 2 / -1;
}

.hint {
  color: var(--ink-soft);
  line-height: 20px;
  padding: 6px 0;
}

.subject {
  margin-bottom: 4px;
}

.days {
  width: 64px;
}

.remove {
  justify-self: start;
  width: 24px;
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
