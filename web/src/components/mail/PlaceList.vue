<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, content, type Folder, type Label } from '@/api/client'
import PickList from '@/components/shell/PickList.vue'
import { COLOURS, type Colour } from '@/mail/colours'
import { endDrag, nowDragged, startDrag } from '@/mail/drag'
import { countSaying, spokenPath } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

const mailbox = useMailbox()
const acts = useActs()
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
const typed = ref('')
const root = ref<HTMLElement>()
const moving = ref<number>()

async function startTyping(next: typeof typing.value, text = ''): Promise<void> {
  typing.value = next
  typed.value = text
  await nextTick()
  root.value?.querySelector<HTMLInputElement>('input.typing')?.select()
}

function parentOf(folder: Folder): number | null {
  return folder.parent_id ?? null
}

async function finishTyping(): Promise<void> {
  const now = typing.value
  const name = typed.value.trim()
  typing.value = undefined
  if (!now || !name) return
  await acts.attempt(async () => {
    if (now.what === 'label') await saveLabel(now.id, name)
    else await saveFolder(now.id, now.below ? `${now.below}/${name}` : name)
    return undefined
  })
}

async function saveFolder(id: number | undefined, path: string): Promise<void> {
  const folder = mailbox.folders.find((each) => each.id === id)
  if (!folder) {
    await content(api.POST('/api/folders', { body: { path } }))
    return
  }
  const params = { path: { id: folder.id } }
  const body = { name: path, parent_id: parentOf(folder) }
  await content(api.PUT('/api/folders/{id}', { params, body }))
}

async function saveLabel(id: number | undefined, name: string): Promise<void> {
  const label = mailbox.labels.find((each) => each.id === id)
  if (!label) {
    await content(api.POST('/api/labels', { body: { name, colour: null } }))
    return
  }
  const body = { name, colour: label.colour as Colour }
  await content(api.PUT('/api/labels/{id}', { params: { path: { id: label.id } }, body }))
}

async function moveFolder(folder: Folder, parent: Folder | undefined): Promise<void> {
  moving.value = undefined
  const name = folder.path.split('/').at(-1) ?? folder.path
  const body = { name, parent_id: parent?.id ?? null }
  await acts.attempt(async () => {
    const params = { path: { id: folder.id } }
    await content(api.PUT('/api/folders/{id}', { params, body }))
    const where = parent ? `into ${spokenPath(parent.path)}` : 'to the top'
    return { saying: `${name} moved ${where}. Rules that name it follow.` }
  })
}

async function deletePlace(kind: 'folder' | 'label', each: Folder | Label): Promise<void> {
  const name = 'path' in each ? spokenPath(each.path) : each.name
  const params = { path: { id: each.id } }
  await acts.attempt(async () => {
    const done = await content(
      kind === 'folder'
        ? api.DELETE('/api/folders/{id}', { params })
        : api.DELETE('/api/labels/{id}', { params }),
    )
    const mail = kind === 'folder' ? ', its mail is in the trash' : ''
    return { saying: `${name} deleted${mail}`, runId: done.run_id }
  })
  if (isCurrent(kind, each.id)) await router.push('/mail')
}

async function setLookIn(folder: Folder, days: number | null): Promise<void> {
  await acts.attempt(async () => {
    const params = { path: { id: folder.id } }
    await content(api.PUT('/api/folders/{id}/look-in', { params, body: { days } }))
    return undefined
  })
}

async function recolour(label: Label, colour: Colour): Promise<void> {
  await acts.attempt(async () => {
    const params = { path: { id: label.id } }
    await content(api.PUT('/api/labels/{id}', { params, body: { name: label.name, colour } }))
    return undefined
  })
}

const LOOK_INS = [1, 7, 14, 30]
type FolderCommand =
  'rename' | 'move' | 'inside' | 'read' | 'delete' | 'mbox' | 'maildir' | `look-${number}`

function folderCommand(folder: Shown, command: FolderCommand): void {
  const which = { folder: folder.id, leave_out: [] }
  if (command === 'rename') void startTyping({ what: 'folder', id: folder.id }, folder.name)
  else if (command === 'inside') void startTyping({ what: 'folder', below: folder.path })
  else if (command === 'move') moving.value = folder.id
  else if (command === 'read') void acts.act(which, { do: { do: 'read' } })
  else if (command === 'delete') void deletePlace('folder', folder)
  else if (command === 'mbox' || command === 'maildir')
    location.assign(`/api/export?folder=${folder.id}&format=${command}`)
  else void setLookIn(folder, Number(command.slice(5)) || null)
}

type LabelCommand = 'rename' | 'delete' | Colour

function labelCommand(label: Label, command: LabelCommand): void {
  if (command === 'rename') void startTyping({ what: 'label', id: label.id }, label.name)
  else if (command === 'delete') void deletePlace('label', label)
  else void recolour(label, command)
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
    if (folder && folder.id !== parent?.id) await moveFolder(folder, parent)
  } else if (target && 'path' in target) {
    await acts.act(dragged.messages, { do: { do: 'file', folder: target.path } })
  } else if (target) {
    await acts.act(dragged.messages, { do: { do: 'label', label: target.name } })
  }
}
</script>

<template>
  <nav ref="root" class="places" aria-label="Folders and labels">
    <ul>
      <li v-for="folder in folders" :key="folder.id">
        <input
          v-if="typing?.what === 'folder' && typing.id === folder.id"
          v-model="typed"
          class="typing"
          :aria-label="`New name of ${folder.name}`"
          @keydown.enter="finishTyping"
          @keydown.esc.stop="typing = undefined"
          @blur="finishTyping"
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
                  moveFolder(
                    folder,
                    mailbox.folders.find((each) => String(each.id) === key),
                  )
              "
              @keydown.esc.stop="moving = undefined"
            />
          </el-popover>
        </div>
        <input
          v-if="typing?.what === 'folder' && typing.below === folder.path"
          v-model="typed"
          class="typing"
          placeholder="Name of the new folder"
          :aria-label="`New folder inside ${folder.name}`"
          @keydown.enter="finishTyping"
          @keydown.esc.stop="typing = undefined"
          @blur="finishTyping"
        />
      </li>
      <li
        @dragover="dragOver($event, 'top')"
        @dragleave="over = undefined"
        @drop.prevent="drop(undefined)"
      >
        <input
          v-if="typing?.what === 'folder' && typing.id === undefined && typing.below === undefined"
          v-model="typed"
          class="typing"
          placeholder="Moorings/Permits"
          aria-label="Path of the new folder"
          @keydown.enter="finishTyping"
          @keydown.esc.stop="typing = undefined"
          @blur="finishTyping"
        />
        <button
          v-else
          class="text-button add"
          :class="{ over: over === 'top' }"
          type="button"
          @click="startTyping({ what: 'folder' })"
        >
          + folder
        </button>
      </li>
    </ul>
    <h2>Labels</h2>
    <ul>
      <li v-for="label in mailbox.labels" :key="label.id">
        <input
          v-if="typing?.what === 'label' && typing.id === label.id"
          v-model="typed"
          class="typing"
          :aria-label="`New name of ${label.name}`"
          @keydown.enter="finishTyping"
          @keydown.esc.stop="typing = undefined"
          @blur="finishTyping"
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
        <input
          v-if="typing?.what === 'label' && typing.id === undefined"
          v-model="typed"
          class="typing"
          placeholder="Name of the new label"
          aria-label="Name of the new label"
          @keydown.enter="finishTyping"
          @keydown.esc.stop="typing = undefined"
          @blur="finishTyping"
        />
        <button
          v-else
          class="text-button add"
          type="button"
          @click="startTyping({ what: 'label' })"
        >
          + label
        </button>
      </li>
    </ul>
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

.typing {
  width: 100%;
  padding: 4px 8px;
  border: 1px solid var(--spruce);
  border-radius: var(--radius);
  background: var(--sheet);
  font: inherit;
}

.add {
  margin: 2px 4px;
  font-weight: 500;
}

.colour-name {
  margin-left: 8px;
}
</style>
