<script setup lang="ts">
import { useActs } from '@/stores/acts'

const acts = useActs()
</script>

<template>
  <div class="notice" role="status" :class="{ failed: acts.notice?.failed }">
    <template v-if="acts.notice">
      <span>{{ acts.notice.saying }}</span>
      <button
        v-if="acts.notice.runId !== undefined"
        class="text-button"
        type="button"
        title="Ctrl+Z"
        @click="acts.undo(acts.notice.runId)"
      >
        Undo
      </button>
      <button class="text-button" type="button" aria-label="Close this note" @click="acts.dismiss">
        ×
      </button>
    </template>
  </div>
</template>

<style scoped>
.notice {
  position: fixed;
  left: 50%;
  bottom: 20px;
  z-index: 20;
  display: flex;
  gap: 16px;
  align-items: center;
  max-width: 720px;
  padding: 10px 18px;
  border: 1px solid var(--spruce);
  border-radius: var(--radius);
  background: var(--sheet);
  box-shadow: 0 4px 16px var(--shadow);
  transform: translateX(-50%);
}

.notice:empty {
  display: none;
}

.notice.failed {
  border-color: var(--brick);
  color: var(--brick);
}
</style>
