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
          v-for="each in commands"
          :key="each.command"
          :command="each.command"
          :disabled="each.disabled ?? false"
          :divided="each.divided ?? false"
          ><span
            v-if="each.swatch"
            class="swatch"
            :style="{ background: `var(--${each.swatch})` }"
          ></span>
          {{ each.label }}</el-dropdown-item
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
