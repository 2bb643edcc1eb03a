<script setup lang="ts">
/** Beside the work where there is room, else over it when it is asked for. */
import { defineAsyncComponent } from 'vue'

import { useNarrow } from '@/composables/useRoom'

const SidePane = defineAsyncComponent(() => import('./SidePane.vue'))

const open = defineModel<boolean>({ required: true })
defineProps<{ title: string; from: 'left' | 'below' }>()
const narrow = useNarrow()
</script>

<template>
  <SidePane v-if="narrow" v-model="open" :title="title" :from="from"><slot></slot></SidePane>
  <div v-else class="aside"><slot></slot></div>
</template>

<style scoped>
.aside {
  display: grid;
  grid-template: minmax(0, 1fr) / minmax(0, 1fr);
  min-height: 0;
}
</style>
