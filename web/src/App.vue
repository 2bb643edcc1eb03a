<script setup lang="ts">
import { onScopeDispose } from 'vue'
import { useRouter } from 'vue-router'

import TopBar from '@/components/shell/TopBar.vue'
import { useKeys } from '@/composables/useKeys'
import { useMailbox } from '@/stores/mailbox'

const mailbox = useMailbox()
onScopeDispose(mailbox.start())

const router = useRouter()
useKeys({
  '1': () => void router.push('/mail'),
  '2': () => void router.push('/rules'),
  n: () => void router.push('/rules/new'),
})
</script>

<template>
  <TopBar />
  <p v-if="mailbox.failure" class="failure" role="alert">
    {{ mailbox.failure }}
    <button class="text-button" type="button" @click="mailbox.refresh()">Try again</button>
  </p>
  <RouterView />
</template>

<style>
#app {
  display: grid;
  grid-template-rows: var(--bar-height) auto 1fr;
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
