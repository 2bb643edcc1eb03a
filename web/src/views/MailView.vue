<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import MessageList from '@/components/mail/MessageList.vue'
import OpenMessage from '@/components/mail/OpenMessage.vue'
import PlaceList from '@/components/mail/PlaceList.vue'
import { useKeys } from '@/composables/useKeys'
import { spokenPath } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

const mailbox = useMailbox()
const route = useRoute()
const router = useRouter()

function number(value: string | string[] | undefined): number | undefined {
  return value === undefined || value === '' ? undefined : Number(value)
}

const kind = computed(() => (route.params['kind'] === 'label' ? 'label' : 'folder'))
const placeId = computed(() => number(route.params['place']) ?? mailbox.inbox?.id)
const message = computed(() => number(route.params['message']))

const place = computed(() => {
  const id = placeId.value
  if (id === undefined) return undefined
  return kind.value === 'label' ? { label: id } : { folder: id }
})
const base = computed(() => `/mail/${kind.value}/${placeId.value ?? ''}`)

const title = computed(() => {
  const id = placeId.value
  if (kind.value === 'label') return mailbox.labels.find((each) => each.id === id)?.name ?? ''
  return spokenPath(mailbox.folders.find((each) => each.id === id)?.path ?? '')
})

const list = ref<{ step: (by: number) => void }>()
useKeys({
  arrowdown: () => list.value?.step(1),
  arrowup: () => list.value?.step(-1),
  escape: () => void router.push(base.value),
})
</script>

<template>
  <main class="mail">
    <PlaceList :kind="kind" :place="placeId" />
    <MessageList ref="list" :title="title" :place="place" :base="base" :current="message" />
    <OpenMessage v-if="message !== undefined" :id="message" />
    <p v-else class="nothing">
      Choose a message to read it here. Arrow keys go from one to the next.
    </p>
  </main>
</template>

<style scoped>
.mail {
  display: grid;
  grid-template-columns: 216px 400px 1fr;
}

.nothing {
  padding: 28px;
  color: var(--ink-soft);
  background: var(--sheet);
}
</style>
