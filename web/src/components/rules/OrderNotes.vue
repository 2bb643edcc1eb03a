<script setup lang="ts">
import { ref } from 'vue'

import type { Finding } from '@/api/client'
import { useLine, type Remedy } from '@/stores/line'
import { useMailbox } from '@/stores/mailbox'

defineProps<{ findings: readonly Finding[] }>()
const line = useLine()
const mailbox = useMailbox()
const busy = ref(false)

function nameOf(id: number | undefined): string {
  return mailbox.rules.find((rule) => rule.id === id)?.rule.name ?? 'the other rule'
}

function saying(finding: Finding, remedy: Remedy): string {
  switch (remedy) {
    case 'move_above':
      return 'Move this rule above it'
    case 'add_exception':
      return `Leave them to this rule by an exception in “${nameOf(finding.by[0])}”`
    case 'merge':
      return 'Merge the two into one'
    case 'switch_off':
      return 'Switch this rule off'
    case 'make_places':
      return 'Make it again'
  }
}

async function mend(finding: Finding, remedy: Remedy): Promise<void> {
  busy.value = true
  await line.mend(finding, remedy)
  busy.value = false
}
</script>

<template>
  <ul v-if="findings.length" class="notes" aria-label="Order check">
    <li v-for="finding in findings" :key="finding.kind + finding.saying">
      <p>{{ finding.saying }}.</p>
      <p v-if="finding.newest.length" class="messages one-line">
        <template v-for="(message, index) in finding.newest" :key="message.id"
          >{{ index ? ' · ' : ''
          }}<RouterLink :to="`/mail/folder/${message.folder_id}/${message.id}`">{{
            message.subject || 'No subject'
          }}</RouterLink></template
        ><template v-if="finding.messages > finding.newest.length"> · …</template>
      </p>
      <p class="remedies">
        <button
          v-for="remedy in finding.remedies"
          :key="remedy"
          class="text-button"
          type="button"
          :disabled="busy"
          @click="mend(finding, remedy)"
        >
          {{ saying(finding, remedy) }}
        </button>
      </p>
    </li>
  </ul>
</template>

<style scoped>
.notes {
  display: grid;
  gap: 8px;
  margin: 0 16px 10px;
  padding: 7px 12px;
  border-left: 3px solid var(--marigold);
  background: var(--marigold-wash);
}

.notes > li {
  min-width: 0;
}

.messages a {
  color: var(--ink);
  font: 15px/20px var(--type-mail);
}

.remedies {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
}

.remedies button {
  text-align: left;
}
</style>
