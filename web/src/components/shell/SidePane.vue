<script setup lang="ts">
/** A pane that there is no room for beside what is worked on: over it, until it is closed. */
const open = defineModel<boolean>({ required: true })
defineProps<{
  title: string
  /** Where it comes from: what leads to the work from the left, what comes of it from below. */
  from: 'left' | 'below'
}>()
</script>

<template>
  <!-- It says its title and is looked through: as a description its whole text would be read out. -->
  <el-drawer
    v-model="open"
    :title="title"
    :with-header="false"
    :direction="from === 'left' ? 'ltr' : 'btt'"
    :size="from === 'left' ? 'min(340px, 92vw)' : '88%'"
    :aria-describedby="undefined"
    append-to-body
    destroy-on-close
    body-class="side-pane"
  >
    <div class="head">
      <h2>{{ title }}</h2>
      <button class="close" type="button" :aria-label="`Close: ${title}`" @click="open = false">
        ×
      </button>
    </div>
    <slot></slot>
  </el-drawer>
</template>

<style>
.side-pane.el-drawer__body {
  display: grid;
  grid-template: auto minmax(0, 1fr) / minmax(0, 1fr);
  padding: 0;
  overflow: hidden;
  background: var(--ground);
}
</style>

<style scoped>
.head {
  display: flex;
  align-items: center;
  justify-content: space-between;
  padding-left: 16px;
  border-bottom: 1px solid var(--line);
}

h2 {
  font-size: 15px;
  font-weight: 700;
}

.close {
  width: 44px;
  height: 44px;
  border: 0;
  background: none;
  color: var(--ink-soft);
  font: 22px/44px var(--type-interface);
  cursor: pointer;
}

.close:focus-visible {
  outline-offset: -4px;
}
</style>
