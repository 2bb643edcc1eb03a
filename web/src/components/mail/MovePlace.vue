<script setup lang="ts">
/** Into which folder a folder is moved. */
import PickList, { type Choice } from '@/components/shell/PickList.vue'

defineProps<{ targets: Choice[] }>()
const emit = defineEmits<{ pick: [key: string]; close: [] }>()
</script>

<template>
  <el-popover visible placement="bottom-start" :width="260" :show-arrow="false">
    <template #reference><span class="anchor"></span></template>
    <PickList
      :choices="targets"
      placeholder="Move into which folder?"
      @pick="(key) => emit('pick', key)"
      @keydown.esc.stop="emit('close')"
    />
  </el-popover>
</template>

<style scoped>
.anchor {
  position: absolute;
  left: 24px;
  bottom: 0;
}
</style>
