<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import { api, content, type KindCount } from '@/api/client'
import { useAnswer } from '@/composables/useAnswer'
import type { Place } from '@/composables/useMessages'
import { useMailbox } from '@/stores/mailbox'

/** The kinds of mail in a folder or under a label, each a group that is opened at once. */
const props = defineProps<{ place: Place | undefined; where: string }>()
const mailbox = useMailbox()
const router = useRouter()

// A help, not a need: the list itself says what is wrong.
const { answer, failure } = useAnswer(
  [() => JSON.stringify(props.place), () => mailbox.version],
  async (signal): Promise<readonly KindCount[]> => {
    const place = props.place
    if (!place || 'find' in place) return []
    const query = { folder: null, label: null, ...place }
    return (await content(api.GET('/api/kinds', { params: { query }, signal }))).kinds
  },
)
const kinds = computed(() => (failure.value ? [] : (answer.value ?? [])))

async function open(kind: string): Promise<void> {
  const name = /\s/.test(props.where) ? `"${props.where}"` : props.where
  const prefix = props.place && 'label' in props.place ? 'label' : 'folder'
  await router.push({ name: 'find', query: { find: `${prefix}:${name} kind:${kind}` } })
}
</script>

<template>
  <p v-if="kinds.length > 1" class="kinds" role="group" aria-label="Kinds of mail here">
    <button
      v-for="group in kinds"
      :key="group.kind"
      type="button"
      class="text-button"
      :title="`Only these: ${group.many}`"
      @click="open(group.kind)"
    >
      {{ group.many }} <b>{{ group.messages.toLocaleString('en-GB') }}</b>
    </button>
  </p>
</template>

<style scoped>
.kinds {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
}

.kinds button {
  font-weight: 500;
}

.kinds b {
  color: var(--ink-soft);
  font-weight: 500;
}

@media (max-width: 699px), (pointer: coarse) {
  .kinds button {
    padding-block: 6px;
    margin-block: 0;
  }
}
</style>
