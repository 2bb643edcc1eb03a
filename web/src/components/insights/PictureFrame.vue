<script setup lang="ts">
/** A picture with what it shows in a sentence; its numbers are a table one key away. */
import { ref } from 'vue'

const props = defineProps<{ title: string; said: string; tables: boolean }>()
const own = ref<boolean>()
</script>

<template>
  <section :aria-label="title">
    <header>
      <h2>{{ title }}</h2>
      <slot name="key"></slot>
      <button
        class="text-button"
        type="button"
        :aria-label="`${title}: ${(own ?? tables) ? 'as a picture' : 'as a table'}`"
        title="T"
        @click="own = !(own ?? props.tables)"
      >
        {{ (own ?? tables) ? 'As a picture' : 'As a table' }}
      </button>
    </header>
    <p class="said">{{ said }}</p>
    <div v-if="own ?? tables" class="table"><slot name="table"></slot></div>
    <slot v-else name="picture"></slot>
  </section>
</template>

<style scoped>
section {
  margin-bottom: 28px;
}

header {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  align-items: baseline;
}

header button {
  margin-left: auto;
}

h2 {
  font-size: 15px;
  font-weight: 700;
}

.said {
  max-width: 75ch;
  margin: 2px 0 10px;
  color: var(--ink-soft);
}

.table :deep(table) {
  border-collapse: collapse;
}

.table :deep(th),
.table :deep(td) {
  padding: 3px 16px 3px 0;
  border-bottom: 1px solid var(--line-soft);
  text-align: left;
  vertical-align: top;
  overflow-wrap: anywhere;
}

.table :deep(th) {
  overflow-wrap: normal;
}

@media (max-width: 699px) {
  .table :deep(th),
  .table :deep(td) {
    padding-right: 8px;
    font-size: 13px;
  }
}

.table :deep(.number) {
  text-align: right;
}
</style>
