<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import { useMessages, type Place } from '@/composables/useMessages'
import { countSaying, daySaying } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

import MessageRow from './MessageRow.vue'

const props = defineProps<{
  title: string
  place: Place | undefined
  base: string
  current: number | undefined
}>()

const mailbox = useMailbox()
const router = useRouter()
const { messages, total, loading, failure, more } = useMessages(
  () => props.place,
  () => mailbox.version,
)

const days = computed(() => {
  const now = new Date()
  const groups: { day: string; messages: (typeof messages.value)[number][] }[] = []
  for (const message of messages.value) {
    const day = daySaying(new Date(message.received), now)
    const last = groups.at(-1)
    if (last?.day === day) last.messages.push(message)
    else groups.push({ day, messages: [message] })
  }
  return groups
})

const list = ref<HTMLElement>()
const NEAR_END = 600 // pixels

function scrolled(): void {
  const element = list.value
  if (element && element.scrollHeight - element.scrollTop - element.clientHeight < NEAR_END) {
    void more()
  }
}

/** Arrows open the message before or after; the list need not have the focus. */
function step(by: number): void {
  const at = messages.value.findIndex((message) => message.id === props.current)
  const next = messages.value[at < 0 ? 0 : at + by]
  if (next) void router.push(`${props.base}/${next.id}`)
}

watch(
  () => props.current,
  async (id) => {
    await nextTick()
    list.value?.querySelector(`[data-message="${id ?? ''}"]`)?.scrollIntoView({ block: 'nearest' })
  },
)
watch(
  () => props.base,
  () => list.value?.scrollTo({ top: 0 }),
)
defineExpose({ step })
</script>

<template>
  <section class="list" aria-label="Messages">
    <header>
      <h1 class="one-line">{{ title }}</h1>
      <p>{{ countSaying(total, 'message') }}, newest first</p>
    </header>
    <p v-if="failure" class="hint" role="alert">{{ failure }}</p>
    <div ref="list" class="rows" @scroll.passive="scrolled">
      <section v-for="group in days" :key="group.day" :aria-label="group.day">
        <h2>{{ group.day }}</h2>
        <MessageRow
          v-for="message in group.messages"
          :key="message.id"
          :message="message"
          :current="message.id === current"
          :to="`${base}/${message.id}`"
        />
      </section>
      <p v-if="!messages.length && !loading && !failure" class="hint">Nothing here.</p>
    </div>
  </section>
</template>

<style scoped>
.list {
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--sheet-soft);
  border: solid var(--line);
  border-width: 0 1px;
}

header {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 12px;
  padding: 12px 16px 8px;
}

h1 {
  font-size: 15px;
  font-weight: 700;
}

header p {
  color: var(--ink-soft);
  white-space: nowrap;
}

.rows {
  overflow-y: auto;
  flex: 1;
}

h2 {
  position: sticky;
  top: 0;
  z-index: 1;
  padding: 4px 16px;
  background: var(--sheet-soft);
  border-bottom: 1px solid var(--line);
  font-size: 12px;
  line-height: 18px;
  font-weight: 600;
  color: var(--ink-soft);
}

.hint {
  padding: 16px;
  color: var(--ink-soft);
}
</style>
