<script setup lang="ts">
import { computed, ref } from 'vue'

import type { Folder } from '@/api/client'
import PickList from '@/components/shell/PickList.vue'
import { usePlaces } from '@/composables/usePlaces'
import { startDrag } from '@/mail/drag'
import { countSaying, spokenPath } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

import PlaceLine from './PlaceLine.vue'

const props = defineProps<{ folder: Folder; name: string; indent: number; current: boolean }>()
const emit = defineEmits<{ rename: []; inside: []; gone: [] }>()
const mailbox = useMailbox()
const acts = useActs()
const places = usePlaces()

const DAY = 86_400_000
function lastLook(folder: Folder): string {
  if (!folder.looked_at) return 'due, not looked into yet'
  const days = Math.floor((Date.now() - new Date(folder.looked_at).getTime()) / DAY)
  return `due, last look ${days === 0 ? 'today' : `${countSaying(days, 'day')} ago`}`
}

const LOOK_INS = [1, 7, 14, 30]
type Command =
  'rename' | 'move' | 'inside' | 'read' | 'delete' | 'mbox' | 'maildir' | `look-${number}`

function does(command: Command): void {
  const folder = props.folder
  if (command === 'rename') emit('rename')
  else if (command === 'inside') emit('inside')
  else if (command === 'move') moving.value = true
  else if (command === 'read')
    void acts.act({ folder: folder.id, leave_out: [] }, { do: { do: 'read' } })
  else if (command === 'delete')
    void places.deleteFolder(folder).then(() => {
      emit('gone')
    })
  else if (command === 'mbox' || command === 'maildir')
    location.assign(`/api/export?folder=${folder.id}&format=${command}`)
  else void places.setLookIn(folder, Number(command.slice(5)) || null)
}

const moving = ref(false)
/** Places to move the folder to: anywhere but into itself. */
const targets = computed(() => [
  { key: '', label: 'To the top' },
  ...mailbox.folders
    .filter((each) => !`${each.path}/`.startsWith(`${props.folder.path}/`))
    .map((each) => ({ key: String(each.id), label: spokenPath(each.path) })),
])

async function moveInto(key: string): Promise<void> {
  moving.value = false
  const parent = mailbox.folders.find((each) => String(each.id) === key)
  await places.moveFolder(props.folder, parent)
}
</script>

<template>
  <PlaceLine
    :place="folder"
    :name="name"
    :to="`/mail/folder/${folder.id}`"
    :current="current"
    :more="`More for ${name}`"
    :indent="indent"
    :title="`${folder.path}: ${folder.total} messages, ${folder.unread} unread`"
    :draggable="folder.role === null"
    @command="(command) => does(command as Command)"
    @dragstart="startDrag($event, { folder: folder.id }, folder.path)"
  >
    <template #after>
      <span v-if="folder.due" class="due"><b>◷</b> {{ lastLook(folder) }}</span>
    </template>
    <template #commands>
      <el-dropdown-item command="inside">New folder inside…</el-dropdown-item>
      <template v-if="folder.role === null">
        <el-dropdown-item command="rename">Rename…</el-dropdown-item>
        <el-dropdown-item command="move">Move into…</el-dropdown-item>
      </template>
      <el-dropdown-item command="read" :disabled="!folder.unread"
        >Mark all as read</el-dropdown-item
      >
      <el-dropdown-item
        v-for="(days, index) in LOOK_INS"
        :key="days"
        :command="`look-${days}`"
        :divided="index === 0"
        >{{ folder.look_in_days === days ? '✓ ' : '' }}Look in every
        {{ days === 1 ? 'day' : `${days} days` }}</el-dropdown-item
      >
      <el-dropdown-item command="look-0"
        >{{ folder.look_in_days ? '' : '✓ ' }}No look-in</el-dropdown-item
      >
      <el-dropdown-item command="mbox" divided>Export as mbox</el-dropdown-item>
      <el-dropdown-item command="maildir">Export as Maildir</el-dropdown-item>
      <el-dropdown-item v-if="folder.role === null" command="delete" divided
        >Delete folder (its mail goes to the trash)</el-dropdown-item
      >
    </template>
    <el-popover :visible="moving" placement="bottom-start" :width="260" :show-arrow="false">
      <template #reference><span class="anchor"></span></template>
      <PickList
        v-if="moving"
        :choices="targets"
        placeholder="Move into which folder?"
        @pick="moveInto"
        @keydown.esc.stop="moving = false"
      />
    </el-popover>
  </PlaceLine>
</template>

<style scoped>
.due {
  flex: 1 0 100%;
  margin-right: -24px;
  color: var(--marigold);
  font-size: 12px;
  line-height: 16px;
}

.due b {
  font-weight: 600;
}

.anchor {
  position: absolute;
  left: 24px;
  bottom: 0;
}
</style>
