<script setup lang="ts">
import { onMounted, useTemplateRef } from 'vue'

import type { MenuCommand } from './menu-command'

const props = defineProps<{
  commands: readonly MenuCommand[]
  /** What the button is called. */
  more: string
  /** It was pressed before it was here. */
  opened: boolean
}>()
const emit = defineEmits<{ command: [command: string] }>()

const button = useTemplateRef<HTMLButtonElement>('button')
onMounted(() => {
  if (!props.opened) return
  button.value?.focus()
  button.value?.click()
})
</script>

<template>
  <el-dropdown
    :persistent="false"
    trigger="click"
    :show-arrow="false"
    @command="(command: string) => emit('command', command)"
  >
    <button ref="button" class="more" type="button" :aria-label="more">⋯</button>
    <template #dropdown>
      <el-dropdown-menu>
        <el-dropdown-item
          v-for="entry in commands"
          :key="entry.command"
          :command="entry.command"
          :disabled="entry.disabled ?? false"
          :divided="entry.divided ?? false"
          ><span
            v-if="entry.swatch"
            class="swatch"
            :style="{ background: `var(--${entry.swatch})` }"
          ></span>
          {{ entry.label }}</el-dropdown-item
        >
      </el-dropdown-menu>
    </template>
  </el-dropdown>
</template>

<style scoped>
.swatch {
  margin-right: 8px;
}
</style>
