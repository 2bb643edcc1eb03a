<script setup lang="ts">
import { ref, watch } from 'vue'

import type { OpenMessage } from '@/api/client'
import EvidenceText from '@/components/rules/EvidenceText.vue'
import { momentSaying, spokenPath } from '@/rules/sayings'

const props = defineProps<{ message: OpenMessage }>()
const open = ref(false)

watch(
  () => props.message.id,
  () => {
    open.value = false
  },
)

function when(at: string): string {
  return momentSaying(new Date(at), new Date())
}

const FIELDS: Record<string, string> = {
  from: 'sender',
  to: 'to',
  cc: 'cc',
  bcc: 'bcc',
  subject: 'subject',
  body: 'text',
  envelope: 'delivered to',
  delivered_to: 'delivered to',
  x_original_to: 'delivered to',
}
</script>

<template>
  <div class="trail">
    <p v-if="!message.trail.length">
      In {{ spokenPath(message.folder) }}. No rule has touched this message.
    </p>
    <p v-for="(entry, index) in message.trail" :key="index">
      <template v-if="entry.folder">Filed in {{ spokenPath(entry.folder) }}</template>
      <template v-if="entry.folder && entry.labels.length"> and labelled </template>
      <template v-else-if="entry.labels.length">Labelled </template>
      <template v-else-if="!entry.folder">Taken</template>
      <b v-for="label in entry.labels" :key="label">{{ label }} </b>
      by
      <RouterLink v-if="entry.rule_id !== null" :to="`/rules/${entry.rule_id}`">{{
        entry.rule_name
      }}</RouterLink>
      <template v-else>{{ entry.rule_name }} (deleted since)</template
      >{{ entry.event === 'hand' ? ', in a catch-up' : '' }}, {{ when(entry.at) }}
      <button
        v-if="index === 0"
        class="text-button why"
        type="button"
        :aria-expanded="open"
        @click="open = !open"
      >
        Why
      </button>
      <span v-if="open" class="evidence">
        <EvidenceText
          v-for="(piece, at) in entry.evidence"
          :key="at"
          :piece="piece"
          :lead="FIELDS[piece.field] ?? piece.field"
        />
      </span>
    </p>
  </div>
</template>

<style scoped>
.trail a {
  color: var(--spruce);
  font-weight: 600;
}

.why {
  margin-left: 8px;
}

.evidence {
  display: grid;
  color: var(--ink-soft);
}
</style>
