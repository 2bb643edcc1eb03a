<script setup lang="ts">
import { computed } from 'vue'

import type { Label } from '@/api/client'
import { usePlaces } from '@/composables/usePlaces'
import { COLOURS, type Colour } from '@/mail/colours'

import type { MenuCommand } from './menu-command'
import PlaceLine from './PlaceLine.vue'

const props = defineProps<{ label: Label; current: boolean }>()
const emit = defineEmits<{ rename: []; gone: [] }>()
const places = usePlaces()

type Command = 'rename' | 'delete' | Colour

function does(command: Command): void {
  if (command === 'rename') emit('rename')
  else if (command === 'delete')
    void places.deleteLabel(props.label).then(() => {
      emit('gone')
    })
  else void places.changeLabel(props.label, { colour: command })
}
const commands = computed<MenuCommand[]>(() => [
  { command: 'rename', label: 'Rename…' },
  ...COLOURS.map((colour, index) => ({
    command: colour,
    label: `${colour}${props.label.colour === colour ? ' ✓' : ''}`,
    swatch: colour,
    divided: index === 0,
  })),
  { command: 'delete', label: 'Delete label', divided: true },
])
</script>

<template>
  <PlaceLine
    :place="label"
    :name="label.name"
    :to="`/mail/label/${label.id}`"
    :current="current"
    :commands="commands"
    :more="`More for label ${label.name}`"
    :title="`${label.name} (${label.colour}): ${label.total} messages, ${label.unread} unread`"
    @command="(command) => does(command as Command)"
  >
    <template #before>
      <span class="swatch" :style="{ background: `var(--${label.colour})` }"></span>
    </template>
  </PlaceLine>
</template>
