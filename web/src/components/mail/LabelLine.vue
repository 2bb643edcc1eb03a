<script setup lang="ts">
import type { Label } from '@/api/client'
import { usePlaces } from '@/composables/usePlaces'
import { COLOURS, type Colour } from '@/mail/colours'

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
</script>

<template>
  <PlaceLine
    :place="label"
    :name="label.name"
    :to="`/mail/label/${label.id}`"
    :current="current"
    :more="`More for label ${label.name}`"
    :title="`${label.name} (${label.colour}): ${label.total} messages, ${label.unread} unread`"
    @command="(command) => does(command as Command)"
  >
    <template #before>
      <span class="swatch" :style="{ background: `var(--${label.colour})` }"></span>
    </template>
    <template #commands>
      <el-dropdown-item command="rename">Rename…</el-dropdown-item>
      <el-dropdown-item
        v-for="(colour, index) in COLOURS"
        :key="colour"
        :command="colour"
        :divided="index === 0"
      >
        <span class="swatch" :style="{ background: `var(--${colour})` }"></span>
        <span class="colour-name">{{ colour }}{{ label.colour === colour ? ' ✓' : '' }}</span>
      </el-dropdown-item>
      <el-dropdown-item command="delete" divided>Delete label</el-dropdown-item>
    </template>
  </PlaceLine>
</template>

<style scoped>
.colour-name {
  margin-left: 8px;
}
</style>
