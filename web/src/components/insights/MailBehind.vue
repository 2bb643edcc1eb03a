<script setup lang="ts">
/** The mail behind a mark, beside its picture; each message opens in Mail. */
import { computed, nextTick, onMounted, ref, shallowRef, watch } from 'vue'

import { api, content, type MailBehind } from '@/api/client'
import { useKeys } from '@/composables/useKeys'
import { markSaying, type Mark } from '@/insights/marks'
import { countSaying, dayInSentence, spokenPath } from '@/rules/sayings'

const props = defineProps<{ mark: Mark; days: '7' | '30' | '90' | 'all'; account: string }>()
const emit = defineEmits<{ close: [] }>()

const behind = shallowRef<MailBehind>()
const failure = ref('')
const heading = ref<HTMLElement>()

async function look(): Promise<void> {
  behind.value = undefined
  failure.value = ''
  const { mark, days, account } = props
  const query = { days, account, ...mark }
  try {
    const answered = await content(api.GET('/api/insights/mail', { params: { query } }))
    if (props.mark === mark) behind.value = answered
  } catch (error) {
    failure.value = error instanceof Error ? error.message : String(error)
  }
}
watch(() => [props.mark, props.days, props.account], look, { immediate: true })

const counted = computed(() => {
  if (!behind.value) return ''
  const { total, messages } = behind.value
  const all = countSaying(total, 'message')
  return messages.length < total ? `${all}; these are the newest ${messages.length}` : all
})

useKeys({
  escape: {
    outsideText: true,
    do: () => {
      emit('close')
    },
  },
})
const focus = async (): Promise<void> => {
  await nextTick()
  heading.value?.focus()
}
onMounted(focus)
watch(() => props.mark, focus)
</script>

<template>
  <section aria-label="Its mail">
    <header>
      <h2 ref="heading" tabindex="-1">{{ markSaying(mark) }}</h2>
      <button class="text-button" type="button" @click="emit('close')">Close</button>
    </header>
    <p v-if="failure" role="alert">{{ failure }}</p>
    <p v-else class="hint" role="status">{{ counted }}</p>
    <ul>
      <li v-for="message in behind?.messages" :key="message.id">
        <RouterLink
          :to="`/mail/folder/${message.folder_id}/${message.id}`"
          :class="{ unread: !message.seen }"
        >
          <span class="who one-line">{{ message.sender_name || message.sender_address }}</span>
          <time :datetime="message.received">{{
            dayInSentence(new Date(message.received), new Date())
          }}</time>
          <span class="subject one-line">{{ message.subject || 'no subject' }}</span>
          <span class="place one-line">{{ spokenPath(message.folder) }}</span>
        </RouterLink>
      </li>
    </ul>
  </section>
</template>

<style scoped>
header {
  display: flex;
  gap: 12px;
  align-items: baseline;
  justify-content: space-between;
}

h2 {
  font-size: 15px;
  font-weight: 700;
}

ul {
  padding: 0;
  list-style: none;
}

a {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 12px;
  padding: 6px 0;
  border-bottom: 1px solid var(--line);
  color: inherit;
  text-decoration: none;
}

a:hover .subject {
  text-decoration: underline;
}

.unread .who,
.unread .subject {
  font-weight: 700;
}

time,
.place {
  color: var(--ink-soft);
  text-align: right;
}
</style>
