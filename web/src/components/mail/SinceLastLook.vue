<script setup lang="ts">
/** What happened while nobody looked: so many came, where they are, and what is due. */
import { computed } from 'vue'

import { api, content } from '@/api/client'
import { useAnswer } from '@/composables/useAnswer'
import { findAddress } from '@/mail/find-address'
import { countSaying, dayInSentence, spokenPath } from '@/rules/sayings'
import { useLastLook } from '@/stores/last-look'
import { useMailbox } from '@/stores/mailbox'

const mailbox = useMailbox()
const look = useLastLook()

const { answer: news, failure } = useAnswer([() => look.since, () => mailbox.version], (signal) =>
  content(api.GET('/api/news', { params: { query: { since: look.since } }, signal })),
)

const since = computed(() => {
  const day = dayInSentence(new Date(`${news.value?.day ?? ''}T12:00`), new Date())
  return day === 'today' ? 'Today' : `Since ${day}`
})
function mailSince(terms: string): string {
  return findAddress(`${terms}-before:${news.value?.day ?? ''}`)
}
const inInbox = computed(() => {
  const path = mailbox.inbox?.path ?? 'Inbox'
  return mailSince(`folder:${/\s/.test(path) ? `"${path}"` : path} `)
})
const due = computed(() => mailbox.folders.filter((folder) => folder.due))
const unread = computed(() => mailbox.inbox?.unread ?? 0)
</script>

<template>
  <section v-if="news && !failure" class="since" aria-label="Since your last look">
    <h2>{{ since }}</h2>
    <ul>
      <li v-if="!news.came">No mail came.</li>
      <template v-else>
        <li>
          <RouterLink :to="mailSince('')">{{ countSaying(news.came, 'message') }}</RouterLink> came.
        </li>
        <li>
          <template v-if="news.taken"
            >Rules took
            <RouterLink to="/history">{{ news.taken.toLocaleString('en-GB') }}</RouterLink> of
            {{ news.came === 1 ? 'it' : 'them' }}.</template
          >
          <template v-else>No rule took any of {{ news.came === 1 ? 'it' : 'them' }}.</template>
        </li>
        <li v-if="news.waiting">
          <RouterLink :to="inInbox">{{ countSaying(news.waiting, 'message') }}</RouterLink>
          {{ news.waiting === 1 ? 'lies' : 'lie' }} in the inbox.
        </li>
      </template>
      <li v-if="unread && mailbox.inbox">
        In all,
        <RouterLink :to="`/mail/folder/${mailbox.inbox.id}`"
          >{{ unread.toLocaleString('en-GB') }} unread</RouterLink
        >
        wait there.
      </li>
      <li v-for="dueFolder in due" :key="dueFolder.id">
        <RouterLink :to="`/mail/folder/${dueFolder.id}`">{{
          spokenPath(dueFolder.path)
        }}</RouterLink>
        is due: {{ countSaying(dueFolder.unread, 'message') }} unread.
      </li>
    </ul>
  </section>
</template>

<style scoped>
.since {
  margin-bottom: 20px;
}

h2 {
  font: 500 24px/32px var(--type-mail);
}

li {
  padding: 3px 0;
}

a {
  color: var(--spruce);
  font-weight: 600;
}
</style>
