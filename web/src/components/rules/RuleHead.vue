<script setup lang="ts">
/** A rule's name, whether it is on, and what else can be done with it. */
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import type { StoredRule } from '@/api/client'
import FieldComplaint from '@/components/shell/FieldComplaint.vue'
import { nameOf, proposedName } from '@/rules/draft'
import { useLine } from '@/stores/line'
import { useWorkbench } from '@/stores/workbench'

const workbench = useWorkbench()
const line = useLine()
const router = useRouter()
const props = defineProps<{ stored: StoredRule | undefined }>()
const emit = defineEmits<{ versions: []; catchUp: [] }>()

/** While it is typed, a name that is proposed stands behind what is typed, not in it. */
const naming = ref(false)
const name = computed({
  get: () => (naming.value && !workbench.draft.named ? '' : nameOf(workbench.draft)),
  set: (value: string) => {
    workbench.draft.named = value.trim() !== ''
    workbench.draft.name = value
  },
})
const enabled = computed(() => props.stored?.rule.enabled ?? workbench.draft.enabled)

async function turn(on: boolean): Promise<void> {
  if (props.stored) await line.act([props.stored.id], on ? 'switch_on' : 'switch_off')
  else workbench.draft.enabled = on
}

async function remove(): Promise<void> {
  if (!props.stored) return
  workbench.discard()
  if (await line.act([props.stored.id], 'delete')) await router.push('/rules')
}

async function copy(): Promise<void> {
  if (!props.stored) return
  const done = await line.act([props.stored.id], 'copy')
  const made = done?.rules[0]
  if (made) await router.push(`/rules/${made.id}`)
}

function more(command: 'copy' | 'versions' | 'catch-up' | 'document' | 'delete'): void {
  if (command === 'catch-up') emit('catchUp')
  else if (command === 'document')
    location.assign(`/api/rules/document?ids=${props.stored?.id ?? ''}`)
  else if (command === 'copy') void copy()
  else if (command === 'delete') void remove()
  else emit('versions')
}
</script>

<template>
  <header data-field>
    <input
      v-model="name"
      class="name"
      aria-label="Name of the rule"
      :placeholder="proposedName(workbench.draft) || 'New rule'"
      @focus="naming = true"
      @blur="naming = false"
    />
    <label class="switch">
      {{ enabled ? 'On' : 'Off' }}
      <el-switch
        :model-value="enabled"
        aria-label="The rule is on"
        @update:model-value="(on: string | number | boolean) => turn(on === true)"
      />
    </label>
    <el-dropdown
      v-if="stored"
      :persistent="false"
      trigger="click"
      :show-arrow="false"
      @command="more"
    >
      <button class="text-button" type="button" aria-label="More for this rule">⋯</button>
      <template #dropdown>
        <el-dropdown-menu>
          <el-dropdown-item command="copy">Copy this rule</el-dropdown-item>
          <el-dropdown-item command="versions">Earlier versions</el-dropdown-item>
          <el-dropdown-item command="catch-up">Catch up some of the mail…</el-dropdown-item>
          <el-dropdown-item command="document">Save it as a document</el-dropdown-item>
          <el-dropdown-item command="delete" divided
            >Delete the rule; mail stays where it is</el-dropdown-item
          >
        </el-dropdown-menu>
      </template>
    </el-dropdown>
    <FieldComplaint class="complaint" :saying="workbench.saidAt('name')" />
  </header>
</template>

<style scoped>
header {
  grid-column: 1 / -1;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 16px;
}

.name {
  flex: 1;
  min-width: 0;
  margin: 0 0 0 -6px;
  padding: 2px 6px;
  border: 1px solid transparent;
  border-radius: var(--radius);
  background: none;
  font: 500 24px/32px var(--type-mail);
  color: var(--ink);
  text-overflow: ellipsis;
}

input.name:hover,
input.name:focus {
  border-color: var(--line);
}

.name::placeholder {
  color: var(--ink-soft);
}

.switch {
  display: flex;
  align-items: center;
  gap: 8px;
  color: var(--ink-soft);
}

.complaint {
  flex: 1 0 100%;
}
</style>
