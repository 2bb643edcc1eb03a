<script setup lang="ts">
import { computed, defineAsyncComponent, ref } from 'vue'

import type { Folder } from '@/api/client'
import { usePlaces } from '@/composables/usePlaces'
import { startDrag } from '@/mail/drag'
import { countSaying, spokenPath } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

import type { MenuCommand } from './menu-command'
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

const commands = computed<MenuCommand[]>(() => [
  { command: 'inside', label: 'New folder inside…' },
  ...(props.folder.role === null
    ? [
        { command: 'rename', label: 'Rename…' },
        { command: 'move', label: 'Move into…' },
      ]
    : []),
  { command: 'read', label: 'Mark all as read', disabled: !props.folder.unread },
  ...LOOK_INS.map((days, index) => ({
    command: `look-${days}`,
    label: `${props.folder.look_in_days === days ? '✓ ' : ''}Look in every ${days === 1 ? 'day' : `${days} days`}`,
    divided: index === 0,
  })),
  { command: 'look-0', label: `${props.folder.look_in_days ? '' : '✓ '}No look-in` },
  { command: 'mbox', label: 'Export as mbox', divided: true },
  { command: 'maildir', label: 'Export as Maildir' },
  ...(props.folder.role === null
    ? [{ command: 'delete', label: 'Delete folder (its mail goes to the trash)', divided: true }]
    : []),
])

const MovePlace = defineAsyncComponent(() => import('./MovePlace.vue'))
const moving = ref(false)
/** Places to move the folder to: anywhere but into itself. */
const targets = computed(() => [
  { key: '', label: 'To the top' },
  ...mailbox.folders
    .filter((folder) => folder.mailbox_id === props.folder.mailbox_id)
    .filter((folder) => !`${folder.path}/`.startsWith(`${props.folder.path}/`))
    .map((folder) => ({ key: String(folder.id), label: spokenPath(folder.path) })),
])

async function moveInto(key: string): Promise<void> {
  moving.value = false
  const parent = mailbox.folders.find((folder) => String(folder.id) === key)
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
    :commands="commands"
    :title="`${folder.path}: ${folder.total} messages, ${folder.unread} unread`"
    :draggable="folder.role === null"
    @command="(command) => does(command as Command)"
    @dragstart="startDrag($event, { folder: folder.id }, folder.path)"
  >
    <template #after>
      <span v-if="folder.due" class="due"><b>◷</b> {{ lastLook(folder) }}</span>
    </template>
    <MovePlace v-if="moving" :targets="targets" @pick="moveInto" @close="moving = false" />
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
</style>
