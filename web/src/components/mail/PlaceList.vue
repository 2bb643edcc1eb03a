<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import type { Folder, Label } from '@/api/client'
import PickList from '@/components/shell/PickList.vue'
import { usePlaces } from '@/composables/usePlaces'
import { COLOURS, type Colour } from '@/mail/colours'
import { endDrag, nowDragged, startDrag } from '@/mail/drag'
import { countSaying, spokenPath } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

import TypedName from './TypedName.vue'

const mailbox = useMailbox()
const acts = useActs()
const places = usePlaces()
const router = useRouter()
const props = defineProps<{ kind: string; place: number | undefined }>()

const folders = computed(() =>
  mailbox.folders.map((folder) => ({
    ...folder,
    name: folder.path.split('/').at(-1) ?? folder.path,
    indent: (folder.path.split('/').length - 1) * 16,
  })),
)
type Shown = (typeof folders.value)[number]

function isCurrent(kind: string, id: number): boolean {
  return props.kind === kind && props.place === id
}

const DAY = 86_400_000
function lastLook(folder: Folder): string {
  if (!folder.looked_at) return 'due, not looked into yet'
  const days = Math.floor((Date.now() - new Date(folder.looked_at).getTime()) / DAY)
  return `due, last look ${days === 0 ? 'today' : `${countSaying(days, 'day')} ago`}`
}

/** What is being typed: a new place, or another name. */
const typing = ref<{ what: 'folder' | 'label'; id?: number; below?: string }>()
const moving = ref<number>()

async function typed(name: string): Promise<void> {
  const now = typing.value
  typing.value = undefined
  if (!now || !name) return
  const folder = mailbox.folders.find((each) => each.id === now.id)
  const label = mailbox.labels.find((each) => each.id === now.id)
  if (now.what === 'label') {
    await (label ? places.changeLabel(label, { name }) : places.makeLabel(name))
  } else if (folder) await places.renameFolder(folder, name)
  else await places.makeFolder(now.below ? `${now.below}/${name}` : name)
}

async function moveInto(folder: Folder, parent: Folder | undefined): Promise<void> {
  moving.value = undefined
  await places.moveFolder(folder, parent)
}

async function leave(kind: string, id: number): Promise<void> {
  if (isCurrent(kind, id)) await router.push('/mail')
}

const LOOK_INS = [1, 7, 14, 30]
type FolderCommand =
  'rename' | 'move' | 'inside' | 'read' | 'delete' | 'mbox' | 'maildir' | `look-${number}`

function folderCommand(folder: Shown, command: FolderCommand): void {
  const which = { folder: folder.id, leave_out: [] }
  if (command === 'rename') typing.value = { what: 'folder', id: folder.id }
  else if (command === 'inside') typing.value = { what: 'folder', below: folder.path }
  else if (command === 'move') moving.value = folder.id
  else if (command === 'read') void acts.act(which, { do: { do: 'read' } })
  else if (command === 'delete')
    void places.deleteFolder(folder).then(() => leave('folder', folder.id))
  else if (command === 'mbox' || command === 'maildir')
    location.assign(`/api/export?folder=${folder.id}&format=${command}`)
  else void places.setLookIn(folder, Number(command.slice(5)) || null)
}

type LabelCommand = 'rename' | 'delete' | Colour

function labelCommand(label: Label, command: LabelCommand): void {
  if (command === 'rename') typing.value = { what: 'label', id: label.id }
  else if (command === 'delete') void places.deleteLabel(label).then(() => leave('label', label.id))
  else void places.changeLabel(label, { colour: command })
}

/** Places to move a folder to: anywhere but into itself. */
function targets(folder: Folder): { key: string; label: string }[] {
  const inside = (path: string): boolean => `${path}/`.startsWith(`${folder.path}/`)
  return [
    { key: '', label: 'To the top' },
    ...mailbox.folders
      .filter((each) => !inside(each.path))
      .map((each) => ({ key: String(each.id), label: spokenPath(each.path) })),
  ]
}

const over = ref<string>()

function dragOver(event: DragEvent, key: string): void {
  if (!nowDragged()) return
  event.preventDefault()
  over.value = key
}

async function drop(target: Folder | Label | undefined): Promise<void> {
  const dragged = nowDragged()
  over.value = undefined
  endDrag()
  if (!dragged) return
  if ('folder' in dragged) {
    const folder = mailbox.folders.find((each) => each.id === dragged.folder)
    const parent = target && 'path' in target ? target : undefined
    if (folder && folder.id !== parent?.id) await moveInto(folder, parent)
  } else if (target && 'path' in target) {
    await acts.act(dragged.messages, { do: { do: 'file', folder: target.path } })
  } else if (target) {
    await acts.act(dragged.messages, { do: { do: 'label', label: target.name } })
  }
}
</script>

<template>
  <nav class="places" aria-label="Folders and labels">
    <ul>
      <li v-for="folder in folders" :key="folder.id">
        <TypedName
          v-if="typing?.what === 'folder' && typing.id === folder.id"
          :name="folder.name"
          :label="`New name of ${folder.name}`"
          @done="typed"
        />
        <div
          v-else
          class="line"
          :class="{ over: over === `f${folder.id}` }"
          @dragover="dragOver($event, `f${folder.id}`)"
          @dragleave="over = undefined"
          @drop.prevent="drop(folder)"
        >
          <RouterLink
            :to="`/mail/folder/${folder.id}`"
            class="place"
            :class="{ current: isCurrent('folder', folder.id), unread: folder.unread > 0 }"
            :aria-current="isCurrent('folder', folder.id) ? 'true' : undefined"
            :style="{ paddingLeft: `${8 + folder.indent}px` }"
            :title="`${folder.path}: ${folder.total} messages, ${folder.unread} unread`"
            :draggable="folder.role === null"
            @dragstart="startDrag($event, { folder: folder.id }, folder.path)"
          >
            <span class="one-line">{{ folder.name }}</span>
            <span v-if="folder.unread" class="count">
              {{ folder.unread.toLocaleString('en-GB')
              }}<span class="visually-hidden"> unread</span>
            </span>
            <span v-if="folder.due" class="due"><b>◷</b> {{ lastLook(folder) }}</span>
          </RouterLink>
          <el-dropdown
            class="menu"
            trigger="click"
            :show-arrow="false"
            @command="(command: FolderCommand) => folderCommand(folder, command)"
          >
            <button class="more" type="button" :aria-label="`More for ${folder.name}`">⋯</button>
            <template #dropdown>
              <el-dropdown-menu>
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
              </el-dropdown-menu>
            </template>
          </el-dropdown>
          <el-popover
            :visible="moving === folder.id"
            placement="bottom-start"
            :width="260"
            :show-arrow="false"
          >
            <template #reference><span class="anchor"></span></template>
            <PickList
              v-if="moving === folder.id"
              :choices="targets(folder)"
              placeholder="Move into which folder?"
              @pick="
                (key) =>
                  moveInto(
                    folder,
                    mailbox.folders.find((each) => String(each.id) === key),
                  )
              "
              @keydown.esc.stop="moving = undefined"
            />
          </el-popover>
        </div>
        <TypedName
          v-if="typing?.what === 'folder' && typing.below === folder.path"
          :label="`New folder inside ${folder.name}`"
          placeholder="Name of the new folder"
          @done="typed"
        />
      </li>
      <li
        @dragover="dragOver($event, 'top')"
        @dragleave="over = undefined"
        @drop.prevent="drop(undefined)"
      >
        <TypedName
          v-if="typing?.what === 'folder' && typing.id === undefined && typing.below === undefined"
          label="Path of the new folder"
          placeholder="Moorings/Permits"
          @done="typed"
        />
        <button
          v-else
          class="text-button add"
          :class="{ over: over === 'top' }"
          type="button"
          @click="typing = { what: 'folder' }"
        >
          + folder
        </button>
      </li>
    </ul>
    <h2>Labels</h2>
    <ul>
      <li v-for="label in mailbox.labels" :key="label.id">
        <TypedName
          v-if="typing?.what === 'label' && typing.id === label.id"
          :name="label.name"
          :label="`New name of ${label.name}`"
          @done="typed"
        />
        <div
          v-else
          class="line"
          :class="{ over: over === `l${label.id}` }"
          @dragover="dragOver($event, `l${label.id}`)"
          @dragleave="over = undefined"
          @drop.prevent="drop(label)"
        >
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
          <el-dropdown
            class="menu"
            trigger="click"
            :show-arrow="false"
            @command="(command: LabelCommand) => labelCommand(label, command)"
          >
            <button class="more" type="button" :aria-label="`More for label ${label.name}`">
              ⋯
            </button>
            <template #dropdown>
              <el-dropdown-menu>
                <el-dropdown-item command="rename">Rename…</el-dropdown-item>
                <el-dropdown-item
                  v-for="(colour, index) in COLOURS"
                  :key="colour"
                  :command="colour"
                  :divided="index === 0"
                >
                  <span class="swatch" :style="{ background: `var(--${colour})` }"></span>
                  <span class="colour-name"
                    >{{ colour }}{{ label.colour === colour ? ' ✓' : '' }}</span
                  >
                </el-dropdown-item>
                <el-dropdown-item command="delete" divided>Delete label</el-dropdown-item>
              </el-dropdown-menu>
            </template>
          </el-dropdown>
        </div>
      </li>
      <li>
        <TypedName
          v-if="typing?.what === 'label' && typing.id === undefined"
          label="Name of the new label"
          placeholder="Name of the new label"
          @done="typed"
        />
        <button v-else class="text-button add" type="button" @click="typing = { what: 'label' }">
          + label
        </button>
      </li>
    </ul>
    <slot name="end"></slot>
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

.line {
  position: relative;
  border-radius: var(--radius);
}

.place {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 8px;
  padding: 4px 26px 4px 8px;
  border-radius: var(--radius);
  color: var(--ink);
  text-decoration: none;
}

.place > .one-line {
  flex: 1;
}

.place:hover {
  background: var(--line-soft);
}

.place.current {
  background: var(--spruce-wash);
  font-weight: 600;
}

.over .place,
.add.over {
  outline: 2px dashed var(--spruce);
}

.count {
  margin-left: auto;
  color: var(--ink-soft);
}

.due {
  flex: 1 0 100%;
  margin-right: -24px;
  white-space: nowrap;
  color: var(--marigold);
  font-size: 12px;
  line-height: 16px;
}

.due b {
  font-weight: 600;
}

.menu {
  position: absolute;
  right: 2px;
  top: 3px;
}

.more {
  width: 22px;
  padding: 0;
  border: 0;
  border-radius: 4px;
  background: none;
  color: var(--ink-soft);
  font: 600 14px/22px var(--type-interface);
  cursor: pointer;
  opacity: 0;
}

.line:hover .more,
.more:focus-visible,
.more[aria-expanded='true'] {
  opacity: 1;
}

.more:hover {
  background: var(--spruce-wash);
}

.anchor {
  position: absolute;
  left: 24px;
  bottom: 0;
}

.add {
  margin: 2px 4px;
  font-weight: 500;
}

.colour-name {
  margin-left: 8px;
}
</style>
