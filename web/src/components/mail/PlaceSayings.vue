<script setup lang="ts">
import { computed } from 'vue'

import type { Folder } from '@/api/client'
import type { Place } from '@/composables/useMessages'
import { countSaying, dayInSentence } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

/** What is said of a place below its title: when it is emptied, what is wrong, how to take it along. */
const props = defineProps<{
  place: Place | undefined
  folder: Folder | undefined
  /** What is wrong with the words of a search. */
  problems: readonly string[]
  /** How many messages lie there. */
  total: number
}>()

const mailbox = useMailbox()

const emptying = computed(() => {
  if (props.folder?.role !== 'trash') return ''
  const mailboxId = props.folder.mailbox_id
  const account = mailbox.connected.find((candidate) => candidate.id === mailboxId)
  if (account) {
    const days = countSaying(mailbox.trashDays, 'day')
    return account.empties_trash && account.acting
      ? `Mail stays here for ${days}, then it is gone for good, on the server, too.`
      : 'What lies here stays here and on the server.'
  }
  const next = mailbox.emptying
  const rule = `Mail stays here for ${countSaying(mailbox.trashDays, 'day')}, then it is gone for good.`
  if (!next) return rule
  return `${rule} Next: ${countSaying(next.messages, 'message')}, ${dayInSentence(
    new Date(next.at),
    new Date(),
  )}.`
})
const exportQuery = computed(() =>
  new URLSearchParams(
    Object.entries(props.place ?? {}).map(([key, value]) => [key, String(value)]),
  ).toString(),
)
</script>

<template>
  <p v-if="emptying">{{ emptying }}</p>
  <p v-for="problem in problems" :key="problem" class="problem" role="alert">{{ problem }}</p>
  <p v-if="place && 'find' in place && total">
    Save these as
    <a class="text-button" :href="`/api/export?${exportQuery}&format=mbox`">mbox</a> or
    <a class="text-button" :href="`/api/export?${exportQuery}&format=maildir`">Maildir</a>
  </p>
</template>

<style scoped>
p {
  color: var(--ink-soft);
}

a {
  text-decoration: none;
}

.problem {
  color: var(--marigold);
}
</style>
