<script setup lang="ts">
/** Where Mnemic tells what it did, or how far a catch-up is. */
import { useCatchUps } from '@/stores/catch-ups'

import CatchUpProgress from './CatchUpProgress.vue'
import NoticeBar from './NoticeBar.vue'

const catchUps = useCatchUps()
</script>

<template>
  <CatchUpProgress v-if="catchUps.job" />
  <NoticeBar v-else />
</template>
