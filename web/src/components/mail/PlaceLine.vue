<script lang="ts">
import type { Component } from 'vue'

/** What one line has loaded serves all. */
let loaded: Component | undefined
</script>

<script setup lang="ts">
/** A folder or a label in the list of places: where it leads, what is unread, and its commands. */
import { ref, shallowRef } from 'vue'

import type { Folder, Label } from '@/api/client'
import { useDropTarget } from '@/composables/useDropTarget'

import type { MenuCommand } from './menu-command'

defineOptions({ inheritAttrs: false }) // what is dragged is the link
const props = defineProps<{
  place: Folder | Label
  name: string
  to: string
  title: string
  current: boolean
  /** What the button for its commands is called. */
  more: string
  indent?: number
  commands: readonly MenuCommand[]
}>()

const emit = defineEmits<{ command: [command: string] }>()

/** The menu is loaded when a mouse comes near it, or when it is first pressed; it opens then. */
const menu = shallowRef<Component>()
const pressed = ref(false)
async function load(): Promise<void> {
  loaded ??= (await import('./PlaceMenu.vue')).default
  menu.value = loaded
}
function open(): void {
  pressed.value = true
  void load()
}
function near(event: PointerEvent): void {
  if (event.pointerType === 'mouse') void load()
}

const drop = useDropTarget(() => props.place)
</script>

<template>
  <div class="line" :class="{ over: drop.over }" v-on="drop.listeners" @pointerenter="near">
    <RouterLink
      v-bind="$attrs"
      :to="to"
      class="place"
      :class="{ current, unread: place.unread > 0 }"
      :aria-current="current ? 'true' : undefined"
      :style="{ paddingLeft: `${8 + (indent ?? 0)}px` }"
      :title="title"
    >
      <slot name="before"></slot>
      <span class="one-line">{{ name }}</span>
      <span v-if="place.unread" class="count">
        {{ place.unread.toLocaleString('en-GB') }}<span class="visually-hidden"> unread</span>
      </span>
      <slot name="after"></slot>
    </RouterLink>
    <component
      :is="menu"
      v-if="menu"
      class="menu"
      :commands="commands"
      :more="more"
      :opened="pressed"
      @command="(command: string) => emit('command', command)"
    />
    <button
      v-else
      class="menu more"
      type="button"
      :aria-label="more"
      @pointerdown="pressed = true"
      @click="open"
    >
      ⋯
    </button>
    <slot></slot>
  </div>
</template>

<style scoped>
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

.over .place {
  outline: 2px dashed var(--spruce);
}

.count {
  margin-left: auto;
  color: var(--ink-soft);
}

.menu {
  position: absolute;
  right: 0;
  top: 2px;
}

.line :deep(.more) {
  width: 24px;
  padding: 0;
  border: 0;
  border-radius: 4px;
  background: none;
  color: var(--ink-soft);
  font: 600 14px/24px var(--type-interface);
  cursor: pointer;
  opacity: 0;
}

.line:hover :deep(.more),
.line :deep(.more:focus-visible),
.line :deep(.more[aria-expanded='true']) {
  opacity: 1;
}

.line :deep(.more:hover) {
  background: var(--spruce-wash);
}

/* A finger hovers over nothing. */
@media (max-width: 699px), (pointer: coarse) {
  .place {
    min-height: 44px;
    padding-right: 50px;
  }

  .menu {
    top: 0;
    right: 0;
  }

  .line :deep(.more) {
    width: 44px;
    line-height: 44px;
    opacity: 1;
  }
}
</style>
