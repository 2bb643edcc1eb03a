<script setup lang="ts">
/** One of several things that were chosen, and the way to take it out again. */
defineProps<{ name: string }>()
const emit = defineEmits<{ drop: [event: MouseEvent] }>()
</script>

<template>
  <span class="tag" :title="name">
    <span class="one-line">{{ name }}</span>
    <button type="button" :aria-label="`Take out ${name}`" @click.stop="emit('drop', $event)">
      ×
    </button>
  </span>
</template>

<style scoped>
.tag {
  display: flex;
  max-width: max(calc(100% - 28px), min(100%, 98px)); /* a short word is not cut for what follows */
  height: 26px;
  padding-left: 8px;
  border-radius: 4px;
  background: var(--spruce-wash);
  line-height: 26px;
}

button {
  flex: none;
  width: 24px;
  padding: 0;
  border: 0;
  border-radius: 4px;
  background: none;
  color: var(--ink-soft);
  font: 16px/26px var(--type-interface);
  cursor: pointer;
}

button:hover {
  color: var(--brick);
}
</style>
