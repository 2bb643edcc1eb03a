<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { useDropTarget } from '@/composables/useDropTarget'
import { usePlaces } from '@/composables/usePlaces'
import { useMailbox } from '@/stores/mailbox'

import FolderLine from './FolderLine.vue'
import LabelLine from './LabelLine.vue'
import TypedName from './TypedName.vue'

const mailbox = useMailbox()
const places = usePlaces()
const router = useRouter()
const props = defineProps<{ kind: string; place: number | undefined }>()

const folders = computed(() =>
  mailbox.folders.map((folder) => {
    const names = folder.path.split('/')
    return { folder, name: names.at(-1) ?? folder.path, indent: (names.length - 1) * 16 }
  }),
)

function isCurrent(kind: string, id: number): boolean {
  return props.kind === kind && props.place === id
}

async function leave(kind: string, id: number): Promise<void> {
  if (isCurrent(kind, id)) await router.push('/mail')
}

/** What is being typed: a new place, or another name. */
const typing = ref<{ what: 'folder' | 'label'; id?: number; below?: string }>()

function isTyping(what: 'folder' | 'label', id?: number): boolean {
  const now = typing.value
  return now?.what === what && now.id === id && now.below === undefined
}

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

const top = useDropTarget(() => undefined)
</script>

<template>
  <nav class="places" aria-label="Folders and labels">
    <ul>
      <li v-for="{ folder, name, indent } in folders" :key="folder.id">
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
          @inside="typing = { what: 'folder', below: folder.path }"
          @gone="leave('folder', folder.id)"
        />
        <TypedName
          v-if="typing?.what === 'folder' && typing.below === folder.path"
          :label="`New folder inside ${name}`"
          placeholder="Name of the new folder"
          @done="typed"
        />
      </li>
      <li v-on="top.listeners">
        <TypedName
          v-if="isTyping('folder')"
          label="Path of the new folder"
          placeholder="Moorings/Permits"
          @done="typed"
        />
        <button
          v-else
          class="text-button add"
          :class="{ over: top.over }"
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

.add {
  margin: 2px 4px;
  font-weight: 500;
}

.add.over {
  outline: 2px dashed var(--spruce);
}
</style>
