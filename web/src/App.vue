<script setup lang="ts">
import { defineAsyncComponent, onScopeDispose, ref } from 'vue'
import { useRouter } from 'vue-router'

import ToldPlace from '@/components/shell/ToldPlace.vue'
import TopBar from '@/components/shell/TopBar.vue'
import ViewLinks from '@/components/shell/ViewLinks.vue'
import { useFrames } from '@/composables/useFrames'
import { useKeptFocus } from '@/composables/useKeptFocus'
import { useKeys } from '@/composables/useKeys'
import { useLooks } from '@/composables/useLooks'
import { useHandheld, useLow, useNarrow } from '@/composables/useRoom'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

useLooks()
useKeptFocus()
const mailbox = useMailbox()
onScopeDispose(mailbox.start())

const acts = useActs()
const router = useRouter()
/** Loaded when it is first asked for. */
const KeysHelp = defineAsyncComponent(() => import('@/components/shell/KeysHelp.vue'))
const help = ref(false)
const helped = ref(false)
const narrow = useNarrow()
const handheld = useHandheld()
const low = useLow()
/** Reading the script has been a long task: the view is made in the next one. */
const frames = useFrames(1)
function toView(): void {
  document.getElementById('view')?.focus()
}
useKeys(
  {
    '1': () => void router.push('/mail'),
    '2': () => void router.push('/rules'),
    '3': () => void router.push('/history'),
    '4': () => void router.push('/insights'),
    '5': () => void router.push('/setup'),
    n: () => void router.push('/rules/new'),
    '?': () => ((help.value = !help.value), (helped.value = true)),
    'ctrl+z': {
      outsideText: true,
      do: () => void acts.undoNext(),
    },
  },
  true,
)
</script>

<template>
  <a class="skip" href="#view" @click.prevent="toView">Skip to what is shown</a>
  <TopBar />
  <p v-if="mailbox.failure" class="failure" role="alert">
    {{ mailbox.failure }}
    <button class="text-button" type="button" @click="mailbox.refresh()">Try again</button>
  </p>
  <RouterView v-if="frames" id="view" tabindex="-1" />
  <div v-if="narrow" class="foot">
    <ToldPlace class="told" />
    <ViewLinks v-if="handheld && !low" />
  </div>
  <KeysHelp v-if="helped" v-model="help" />
</template>

<style>
#app {
  display: grid;
  grid-template: var(--bar-height) auto minmax(0, 1fr) auto / minmax(0, 1fr);
}

#app > main {
  grid-row: 3;
  position: relative; /* what is hidden for the eye alone stays inside, and widens nothing */
  min-height: 0;
}

#app > main:focus-visible {
  outline: none;
}

/* In sight only for whom it helps: it comes first by Tab. */
.skip {
  position: absolute;
  z-index: 50;
  top: -60px;
  left: 12px;
  padding: 10px 16px;
  border-radius: var(--radius);
  background: var(--spruce);
  color: var(--on-spruce);
  font-weight: 600;
}

.skip:focus {
  top: 4px;
}

/* Below what is being worked on: a note moves nothing that a thumb is on its way to. */
.foot {
  grid-row: 4;
}

.foot > .told {
  padding: 4px 8px;
}

.foot > .told:empty {
  padding: 0;
}

.failure {
  grid-row: 2;
  padding: 8px 20px;
  background: var(--brick-wash);
  color: var(--brick);
}
</style>
