<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import type { Connected, Folder } from '@/api/client'
import { useDropTarget } from '@/composables/useDropTarget'
import { usePlaces } from '@/composables/usePlaces'
import { findAddress } from '@/mail/find-address'
import { useMailbox } from '@/stores/mailbox'

import FolderLine from './FolderLine.vue'
import LabelLine from './LabelLine.vue'
import TypedName from './TypedName.vue'

const mailbox = useMailbox()
const places = usePlaces()
const router = useRouter()
const props = defineProps<{ kind: string; place: number | undefined }>()

/** The mailbox of mail that came by SMTP or from files. */
const LOCAL = 1

/** The mailboxes, each with its folders; the name of a single one is not worth a line. */
const mailboxes = computed(() =>
  [{ id: LOCAL, name: mailbox.nameOf(LOCAL), note: '' }, ...mailbox.connected.map(named)].map(
    ({ id, name, note }) => ({
      id,
      name,
      note,
      folders: mailbox.folders
        .filter((folder) => folder.mailbox_id === id)
        .map((folder) => {
          const names = folder.path.split('/')
          return { folder, name: names.at(-1) ?? folder.path, indent: (names.length - 1) * 16 }
        }),
    }),
  ),
)
function named({ id, name, acting, state, in_step }: Connected) {
  const acts = acting ? '' : 'only watched'
  return { id, name, note: in_step ? acts : state }
}
const several = computed(() => mailboxes.value.length > 1)
/** Mailboxes that are folded away. */
const folded = useLocalStorage<number[]>('mnemic.folded', [])
function fold(id: number): void {
  const others = folded.value.filter((key) => key !== id)
  folded.value = others.length < folded.value.length ? others : [...others, id]
}

function isCurrent(kind: string, id: number): boolean {
  return props.kind === kind && props.place === id
}

async function leave(kind: string, id: number): Promise<void> {
  if (isCurrent(kind, id)) await router.push('/mail')
}

/** What is being typed: a new place, or another name. */
const typing = ref<{ what: 'folder' | 'label'; id?: number; below?: Folder; within?: number }>()

function isTyping(what: 'folder' | 'label', id?: number, within?: number): boolean {
  const now = typing.value
  return now?.what === what && now.id === id && now.below === undefined && now.within === within
}

async function typed(name: string): Promise<void> {
  const now = typing.value
  typing.value = undefined
  if (!now || !name) return
  const folder = mailbox.folders.find((candidate) => candidate.id === now.id)
  const label = mailbox.labels.find((known) => known.id === now.id)
  if (now.what === 'label') {
    await (label ? places.changeLabel(label, { name }) : places.makeLabel(name))
  } else if (folder) await places.renameFolder(folder, name)
  else if (now.below) {
    await places.makeFolder(`${now.below.path}/${name}`, now.below.mailbox_id)
  } else await places.makeFolder(name, now.within ?? LOCAL)
}

const top = useDropTarget(() => undefined)
</script>

<template>
  <nav class="places" aria-label="Folders and labels">
    <p v-if="several">
      <RouterLink class="text-button all" :to="findAddress('folder:Inbox')">All inboxes</RouterLink>
    </p>
    <template v-for="section in mailboxes" :key="section.id">
      <h2 v-if="several">
        <button
          class="text-button"
          type="button"
          :aria-expanded="!folded.includes(section.id)"
          @click="fold(section.id)"
        >
          <span aria-hidden="true">{{ folded.includes(section.id) ? '▸' : '▾' }}</span>
          {{ section.name }}
        </button>
        <span v-if="section.note" class="note" :title="section.note">{{ section.note }}</span>
      </h2>
      <ul v-if="!several || !folded.includes(section.id)">
        <li v-for="{ folder, name, indent } in section.folders" :key="folder.id">
          <TypedName
            v-if="isTyping('folder', folder.id)"
            :name="name"
            :label="`New name of ${name}`"
            @done="typed"
          />
          <FolderLine
            v-else
            :folder="folder"
            :name="name"
            :indent="indent"
            :current="isCurrent('folder', folder.id)"
            @rename="typing = { what: 'folder', id: folder.id }"
            @inside="typing = { what: 'folder', below: folder }"
            @gone="leave('folder', folder.id)"
          />
          <TypedName
            v-if="typing?.what === 'folder' && typing.below?.id === folder.id"
            :label="`New folder inside ${name}`"
            placeholder="Name of the new folder"
            @done="typed"
          />
        </li>
        <li v-on="top.listeners">
          <TypedName
            v-if="isTyping('folder', undefined, section.id)"
            label="Path of the new folder"
            placeholder="Moorings/Permits"
            @done="typed"
          />
          <button
            v-else
            class="text-button add"
            :class="{ over: top.over }"
            type="button"
            @click="typing = { what: 'folder', within: section.id }"
          >
            + folder
          </button>
        </li>
      </ul>
    </template>
    <h2>Labels</h2>
    <ul>
      <li v-for="label in mailbox.labels" :key="label.id">
        <TypedName
          v-if="isTyping('label', label.id)"
          :name="label.name"
          :label="`New name of ${label.name}`"
          @done="typed"
        />
        <LabelLine
          v-else
          :label="label"
          :current="isCurrent('label', label.id)"
          @rename="typing = { what: 'label', id: label.id }"
          @gone="leave('label', label.id)"
        />
      </li>
      <li>
        <TypedName
          v-if="isTyping('label')"
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

.all {
  margin-left: 8px;
  text-decoration: none;
}

.note {
  display: block;
  overflow: hidden;
  font-weight: 400;
  text-overflow: ellipsis;
}

.add {
  margin: 2px 4px;
  font-weight: 500;
}

.add.over {
  outline: 2px dashed var(--spruce);
}
</style>
