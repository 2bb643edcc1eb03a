<script setup lang="ts">
import { computed, ref } from 'vue'

import { type PlainAct, type Which } from '@/api/client'
import PickList, { type Choice } from '@/components/shell/PickList.vue'
import { COLOURS, type Colour } from '@/mail/colours'
import { countSaying, spokenPath } from '@/rules/sayings'
import { useActs, type Act } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

const props = defineProps<{
  which: Which
  /** How many messages that are. */
  count: number
  /** The folder they are in, where it is one. */
  folder: string | undefined
  labels: readonly string[]
  seen?: boolean | undefined
  flagged?: boolean | undefined
}>()
const emit = defineEmits<{ done: [moved: boolean, which: Which] }>()

const mailbox = useMailbox()
const acts = useActs()
const open = ref<'move' | 'label' | 'copy' | ''>('')

async function act(what: Act, moves = false): Promise<void> {
  open.value = ''
  const { which } = props // another message may stand here once it is done
  if (await acts.act(which, what)) emit('done', moves, which)
}

function plain(what: PlainAct['do']): Promise<void> {
  return act({ plain: { do: what } }, what !== 'uncolour')
}

const here = computed(() => mailbox.folders.find((folder) => folder.path === props.folder))
const inTrash = computed(() => here.value?.role === 'trash')

const folders = computed<Choice[]>(() =>
  mailbox.paths
    .filter((place) => place.path !== props.folder)
    .map((place) => ({ key: place.path, label: spokenPath(place.path) })),
)
/** Before a folder's id, where a choice is by that. */
const BY_ID = 'folder:'
/** Where there are several mailboxes it is said of which one a folder is: mail may go to another. */
const across = computed(() => mailbox.connected.length > 0 && open.value === 'move')
const targets = computed<Choice[]>(() =>
  mailbox.folders.map((folder) => ({
    key: `${BY_ID}${folder.id}`,
    label: spokenPath(folder.path),
    note: mailbox.nameOf(folder.mailbox_id),
  })),
)
function pickFolder(key: string): Promise<void> {
  if (key.startsWith(BY_ID)) {
    const folder = Number(key.slice(BY_ID.length))
    return act({ plain: { do: 'move_to', folder } }, true)
  }
  return open.value === 'move'
    ? act({ do: { do: 'file', folder: key } }, true)
    : act({ do: { do: 'copy', folder: key } })
}
const labelChoices = computed<Choice[]>(() =>
  mailbox.labels.map((label) => ({
    key: label.name,
    label: label.name,
    colour: label.colour,
    chosen: props.labels.includes(label.name),
  })),
)

function pickLabel(name: string): Promise<void> {
  return act({ do: { do: props.labels.includes(name) ? 'unlabel' : 'label', label: name } })
}

function path(spoken: string): string {
  return spoken
    .split('/')
    .map((piece) => piece.trim())
    .join('/')
}

const PRIORITIES = ['high', 'normal', 'low'] as const

type More = 'erase' | 'copy' | 'put_back' | 'uncolour' | `priority-${(typeof PRIORITIES)[number]}`

function more(command: More): void {
  if (command === 'erase') void act({ do: { do: 'erase' } }, true)
  else if (command === 'copy') open.value = 'copy'
  else if (command === 'put_back' || command === 'uncolour') void plain(command)
  else {
    const level = PRIORITIES.find((candidate) => command === `priority-${candidate}`) ?? 'normal'
    void act({ do: { do: 'priority', level } })
  }
}
</script>

<template>
  <div class="commands thumb-row" role="toolbar" aria-label="What to do with it">
    <button v-if="inTrash" class="text-button" type="button" @click="plain('restore')">
      Restore
    </button>
    <button
      v-else-if="here?.role !== 'archive'"
      class="text-button"
      type="button"
      @click="act({ do: { do: 'archive' } }, true)"
    >
      Archive
    </button>
    <button
      v-if="!inTrash"
      class="text-button"
      type="button"
      title="To the trash (Delete)"
      @click="act({ do: { do: 'trash' } }, true)"
    >
      Trash
    </button>
    <el-popover
      :persistent="false"
      :visible="open === 'move' || open === 'copy'"
      :width="280"
      placement="bottom-start"
      :show-arrow="false"
    >
      <template #reference>
        <button
          class="text-button"
          type="button"
          :aria-expanded="open === 'move' || open === 'copy'"
          @click="open = open ? '' : 'move'"
        >
          Move
        </button>
      </template>
      <PickList
        v-if="open === 'move' || open === 'copy'"
        :choices="across ? targets : folders"
        :placeholder="open === 'move' ? 'Move to which folder?' : 'Copy to which folder?'"
        creates="New folder"
        @pick="pickFolder"
        @create="(name) => pickFolder(path(name))"
        @keydown.esc.stop="open = ''"
      />
    </el-popover>
    <el-popover
      :persistent="false"
      :visible="open === 'label'"
      :width="240"
      placement="bottom-start"
      :show-arrow="false"
    >
      <template #reference>
        <button
          class="text-button"
          type="button"
          :aria-expanded="open === 'label'"
          @click="open = open === 'label' ? '' : 'label'"
        >
          Label
        </button>
      </template>
      <PickList
        v-if="open === 'label'"
        :choices="labelChoices"
        placeholder="Which label?"
        creates="New label"
        @pick="pickLabel"
        @create="(name) => act({ do: { do: 'label', label: name } })"
        @keydown.esc.stop="open = ''"
      />
    </el-popover>
    <el-dropdown
      :persistent="false"
      trigger="click"
      :show-arrow="false"
      @command="
        (colour: Colour | '') =>
          colour ? act({ do: { do: 'colour', colour } }) : plain('uncolour')
      "
    >
      <button class="text-button" type="button">Colour</button>
      <template #dropdown>
        <el-dropdown-menu>
          <el-dropdown-item v-for="colour in COLOURS" :key="colour" :command="colour">
            <span class="swatch" :style="{ background: `var(--${colour})` }"></span>
            <span class="colour-name">{{ colour }}</span>
          </el-dropdown-item>
          <el-dropdown-item command="" divided>no colour</el-dropdown-item>
        </el-dropdown-menu>
      </template>
    </el-dropdown>
    <button
      class="text-button"
      type="button"
      @click="act({ do: { do: flagged ? 'unflag' : 'flag' } })"
    >
      {{ flagged ? 'Unflag' : 'Flag' }}
    </button>
    <button
      v-if="seen !== false"
      class="text-button"
      type="button"
      @click="act({ do: { do: 'unread' } })"
    >
      Unread
    </button>
    <button
      v-if="seen !== true"
      class="text-button"
      type="button"
      @click="act({ do: { do: 'read' } })"
    >
      Read
    </button>
    <el-dropdown :persistent="false" trigger="click" :show-arrow="false" @command="more">
      <button class="text-button" type="button">More</button>
      <template #dropdown>
        <el-dropdown-menu>
          <el-dropdown-item command="copy">Copy to a folder…</el-dropdown-item>
          <el-dropdown-item command="put_back">Put back what rules did</el-dropdown-item>
          <el-dropdown-item
            v-for="level in PRIORITIES"
            :key="level"
            :command="`priority-${level}`"
            :divided="level === 'high'"
            >Importance {{ level }}</el-dropdown-item
          >
          <el-dropdown-item command="erase" divided
            >Erase {{ count === 1 ? 'it' : countSaying(count, 'message') }} (can be undone for
            {{ countSaying(mailbox.undoDays, 'day') }})</el-dropdown-item
          >
        </el-dropdown-menu>
      </template>
    </el-dropdown>
  </div>
</template>

<style scoped>
.commands {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: center;
}

.colour-name {
  margin-left: 8px;
}
</style>
