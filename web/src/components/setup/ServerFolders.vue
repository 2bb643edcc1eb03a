<script setup lang="ts">
/** What each folder of an account's server is for, and which are left out. */
import { computed } from 'vue'

import { api, content, type Connection, type FolderChoice } from '@/api/client'
import { useMailboxAnswer } from '@/composables/useMailboxAnswer'
import { useActs } from '@/stores/acts'
import { ask } from '@/stores/asking'

const props = defineProps<{ account: Connection }>()

const acts = useActs()
const path = computed(() => ({ path: { id: props.account.id } }))
const answer = useMailboxAnswer((signal) =>
  content(api.GET('/api/connections/{id}/folders', { params: path.value, signal })),
)

const CHOICES: { value: FolderChoice | ''; label: string }[] = [
  { value: '', label: 'as the server says' },
  { value: 'archive', label: 'Archive' },
  { value: 'sent', label: 'Sent' },
  { value: 'junk', label: 'Junk' },
  { value: 'trash', label: 'Trash' },
  { value: 'plain', label: 'a plain folder' },
  { value: 'left out', label: 'left out' },
]

const ROLES: Record<string, string> = {
  inbox: 'the inbox',
  archive: 'the archive',
  sent: 'what was sent',
  junk: 'junk',
  trash: 'the trash',
}

async function choose(name: string, event: Event): Promise<void> {
  if (!(event.target instanceof HTMLSelectElement)) return
  const select = event.target
  const choice = (select.value || null) as FolderChoice | null
  const question = `What is here of “${name}” is taken away, with its trail; on the server nothing changes. Chosen otherwise, it is mirrored again.`
  if (choice === 'left out' && !(await ask(question, `Leave “${name}” out?`, 'Leave it out'))) {
    select.value = answer.value?.folders.find((folder) => folder.name === name)?.choice ?? ''
    return
  }
  await acts.attempt(async () => {
    const body = { name, choice }
    await content(api.PUT('/api/connections/{id}/folders', { params: path.value, body }))
    const label = CHOICES.find((candidate) => candidate.value === (choice ?? ''))?.label ?? ''
    return { saying: `“${name}”: ${label}` }
  })
}
</script>

<template>
  <details>
    <summary>Its folders</summary>
    <ul :aria-label="`Folders of ${account.name}`">
      <li v-for="folder in answer?.folders ?? []" :key="folder.name">
        <span>
          {{ folder.name }}
          <span v-if="folder.role" class="hint">{{ ROLES[folder.role] ?? folder.role }}</span>
        </span>
        <select
          v-if="folder.role !== 'inbox'"
          class="field"
          :value="folder.choice ?? ''"
          :aria-label="`What “${folder.name}” is for`"
          @change="(event) => choose(folder.name, event)"
        >
          <option v-for="choice in CHOICES" :key="choice.value" :value="choice.value">
            {{ choice.label }}
          </option>
        </select>
      </li>
    </ul>
  </details>
</template>

<style scoped>
summary {
  padding: 5px 0;
  color: var(--spruce);
  font-weight: 600;
  cursor: pointer;
}

ul {
  max-width: 560px;
  margin: 4px 0 8px;
  padding: 0;
  list-style: none;
}

li {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  justify-content: space-between;
  gap: 4px 16px;
  min-height: 32px;
  padding: 2px 0;
  border-bottom: 1px solid var(--line-soft);
}

.hint {
  margin-left: 8px;
}
</style>
