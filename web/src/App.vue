<script setup lang="ts">
import { onScopeDispose, ref } from 'vue'
import { useRouter } from 'vue-router'

import KeysHelp from '@/components/shell/KeysHelp.vue'
import TopBar from '@/components/shell/TopBar.vue'
import { useKeys } from '@/composables/useKeys'
import { useLooks } from '@/composables/useLooks'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

useLooks()
const mailbox = useMailbox()
onScopeDispose(mailbox.start())

const acts = useActs()
const router = useRouter()
const help = ref(false)
useKeys({
  '1': () => void router.push('/mail'),
  '2': () => void router.push('/rules'),
  '3': () => void router.push('/history'),
  '5': () => void router.push('/setup'),
  n: () => void router.push('/rules/new'),
  '?': () => (help.value = !help.value),
  'ctrl+z': {
    outsideText: true,
    do: () => void acts.undoNext(),
  },
})
</script>

<template>
  <TopBar />
  <p v-if="mailbox.failure" class="failure" role="alert">
    {{ mailbox.failure }}
    <button class="text-button" type="button" @click="mailbox.refresh()">Try again</button>
  </p>
  <RouterView />
  <KeysHelp v-model="help" />
</template>

<style>
#app {
  display: grid;
  grid-template: var(--bar-height) auto 1fr / minmax(0, 1fr);
}

#app > main {
  grid-row: 3;
  min-height: 0;
}

.failure {
  grid-row: 2;
  padding: 8px 20px;
  background: var(--brick-wash);
  color: var(--brick);
}
</style>
