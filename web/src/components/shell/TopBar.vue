<script setup lang="ts">
import { useActs } from '@/stores/acts'
import { useCatchUps } from '@/stores/catch-ups'
import { useMailbox } from '@/stores/mailbox'

import CatchUpProgress from './CatchUpProgress.vue'
import FindBox from './FindBox.vue'
import NoticeBar from './NoticeBar.vue'

const mailbox = useMailbox()
const acts = useActs()
const catchUps = useCatchUps()
const views = [
  { to: '/mail', label: 'Mail', key: '1' },
  { to: '/rules', label: 'Rules', key: '2' },
  { to: '/history', label: 'History', key: '3' },
  { to: '/setup', label: 'Setup', key: '5' },
]
</script>

<template>
  <header class="bar">
    <span class="name">Mnemic</span>
    <nav aria-label="Views">
      <RouterLink
        v-for="view in views"
        :key="view.to"
        :to="view.to"
        class="view"
        :class="{ current: $route.path.startsWith(view.to) }"
        :title="`${view.label} (${view.key})`"
        :aria-current="$route.path.startsWith(view.to) ? 'page' : undefined"
      >
        {{ view.label }}
      </RouterLink>
    </nav>
    <CatchUpProgress v-if="catchUps.job" class="told" />
    <NoticeBar v-else class="told" />
    <!-- Where a note offers it, that is the one. -->
    <button
      v-if="!acts.offers"
      class="text-button"
      type="button"
      :disabled="!acts.next"
      :title="acts.next ? `Takes back: ${acts.next.saying} (Ctrl+Z)` : 'Nothing left to undo'"
      @click="acts.undoNext"
    >
      Undo
    </button>
    <FindBox />
    <p class="arriving" role="status">
      <template v-if="mailbox.arrived">
        <b>{{ mailbox.arrived.count }}</b> {{ mailbox.arrivedSaying }}
      </template>
    </p>
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 28px;
  padding: 0 20px;
  border-bottom: 1px solid var(--line);
}

.name {
  font: italic 500 23px/28px var(--type-mail);
  color: var(--spruce);
}

nav {
  display: flex;
  gap: 4px;
}

.view {
  padding: 5px 12px;
  border-radius: var(--radius);
  color: var(--ink-soft);
  text-decoration: none;
}

.view:hover {
  background: var(--spruce-wash);
}

.view.current {
  background: var(--spruce);
  color: var(--on-spruce);
  font-weight: 600;
}

.told {
  flex: 1;
  min-width: 0;
}

.arriving {
  color: var(--ink-soft);
}

.arriving b {
  color: var(--ink);
}
</style>
