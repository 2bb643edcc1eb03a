<script setup lang="ts">
import type { Action } from '@/api/client'
import { COLOURS, type Colour } from '@/mail/colours'
import { actionKind, SOUNDS, type Sound } from '@/rules/actions'
import { spokenPath } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

const action = defineModel<Action>({ required: true })
const emit = defineEmits<{ remove: [] }>()
const mailbox = useMailbox()

function put(next: Action): void {
  action.value = next
}
</script>

<template>
  <div class="row">
    <span class="does">{{ actionKind(action.do)?.label ?? action.do }}</span>
    <el-select
      v-if="action.do === 'copy'"
      class="what"
      filterable
      allow-create
      default-first-option
      aria-label="Copy to folder"
      placeholder="which folder?"
      :teleported="false"
      :model-value="action.folder"
      @update:model-value="(folder: string) => put({ do: 'copy', folder })"
    >
      <el-option
        v-for="each in mailbox.folders"
        :key="each.id"
        :value="each.path"
        :label="spokenPath(each.path)"
      />
    </el-select>
    <el-select
      v-else-if="action.do === 'unlabel'"
      class="what"
      filterable
      allow-create
      default-first-option
      aria-label="Label to take off"
      placeholder="which label?"
      :teleported="false"
      :model-value="action.label"
      @update:model-value="(label: string) => put({ do: 'unlabel', label })"
    >
      <el-option
        v-for="each in mailbox.labels"
        :key="each.id"
        :value="each.name"
        :label="each.name"
      />
    </el-select>
    <el-select
      v-else-if="action.do === 'colour'"
      class="what"
      aria-label="Colour"
      :teleported="false"
      :model-value="action.colour"
      @update:model-value="(colour: Colour) => put({ do: 'colour', colour })"
    >
      <template #prefix>
        <span class="swatch" :style="{ background: `var(--${action.colour})` }"></span>
      </template>
      <el-option v-for="colour in COLOURS" :key="colour" :value="colour" :label="colour">
        <span class="swatch" :style="{ background: `var(--${colour})` }"></span> {{ colour }}
      </el-option>
    </el-select>
    <el-select
      v-else-if="action.do === 'priority'"
      class="what"
      aria-label="Priority"
      :teleported="false"
      :model-value="action.level"
      @update:model-value="(level: 'high' | 'normal' | 'low') => put({ do: 'priority', level })"
    >
      <el-option v-for="level in ['high', 'normal', 'low']" :key="level" :value="level" />
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
    <el-select
      v-else-if="action.do === 'notify'"
      class="what"
      aria-label="Sound"
      clearable
      placeholder="the usual sound"
      :value-on-clear="null"
      :teleported="false"
      :model-value="action.sound"
      @update:model-value="(sound: Sound | null) => put({ do: 'notify', sound })"
    >
      <el-option v-for="sound in SOUNDS" :key="sound" :value="sound" />
    </el-select>
    <span v-else-if="action.do === 'erase'" class="what hint">
      held back for 30 days, so that Undo brings it back; then gone for good
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
