<script setup lang="ts">
import { computed, ref } from 'vue'

import { useHandheld, useLow, useNarrow } from '@/composables/useRoom'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

import FindBox from './FindBox.vue'
import ToldPlace from './ToldPlace.vue'
import ViewLinks from './ViewLinks.vue'

const mailbox = useMailbox()
const acts = useActs()
const narrow = useNarrow()
const handheld = useHandheld()
const low = useLow()
const menu = ref<HTMLDetailsElement>()

/** How the first connected account is that is not in step. */
const out = computed(() => {
  const first = mailbox.connected.find((account) => !account.in_step)
  return first && `${first.name}: ${first.state}`
})
</script>

<template>
  <header class="bar">
    <span class="name">Mnemic</span>
    <ViewLinks v-if="!handheld" />
    <details v-else-if="low" ref="menu" class="menu">
      <summary>Views</summary>
      <ViewLinks @click="menu?.removeAttribute('open')" />
    </details>
    <ToldPlace v-if="!narrow" class="told" />
    <!-- Where a note offers it, that is the one. -->
    <button
      v-if="!acts.offers"
      class="text-button undo"
      type="button"
      :disabled="!acts.next"
      :title="acts.next ? `Takes back: ${acts.next.saying} (Ctrl+Z)` : 'Nothing left to undo'"
      @click="acts.undoNext"
    >
      Undo
    </button>
    <FindBox />
    <p v-if="out" class="out" role="status" :title="out">{{ out }}</p>
    <p class="arriving" role="status">
      <template v-if="mailbox.arrived">
        <b>{{ mailbox.arrived.count }}</b> {{ mailbox.arrivedSaying }}
      </template>
    </p>
  </header>
</template>

<style scoped>
.bar {
  position: relative;
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

.told {
  flex: 1;
  min-width: 0;
}

.arriving {
  color: var(--ink-soft);
}

.out {
  overflow: hidden;
  max-width: 28ch;
  color: var(--ink-soft);
  text-overflow: ellipsis;
  white-space: nowrap;
}

.arriving b {
  color: var(--ink);
}

@media (max-width: 1099px) {
  .bar {
    gap: 14px;
    padding: 0 14px;
  }

  .undo {
    margin-left: auto;
  }
}

.menu {
  position: relative;
  color: var(--spruce);
  font-weight: 600;
}

.menu > summary {
  padding: 10px 4px;
  cursor: pointer;
}

.menu > nav {
  position: absolute;
  z-index: 40;
  top: 44px;
  left: 0;
  display: grid;
  grid-template-columns: 1fr 1fr;
  width: 240px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  box-shadow: 0 4px 16px var(--shadow);
}

@media (max-width: 479px) {
  .name {
    display: none;
  }

  .menu {
    order: -2;
  }

  .arriving {
    display: none;
  }
}
</style>
