<script setup lang="ts">
import { computed, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import RehearsalPane from '@/components/rules/RehearsalPane.vue'
import RuleEditor from '@/components/rules/RuleEditor.vue'
import RuleLine from '@/components/rules/RuleLine.vue'
import { useRehearsal } from '@/composables/useRehearsal'
import { useMailbox } from '@/stores/mailbox'
import { useWorkbench } from '@/stores/workbench'

const mailbox = useMailbox()
const workbench = useWorkbench()
const route = useRoute()
const router = useRouter()

const stored = computed(() => mailbox.rules.find((each) => each.id === workbench.ruleId))

/** The address says which rule is open; without one it is the one that was open before. */
watch(
  [() => route.params['rule'], () => mailbox.ready],
  ([asked]) => {
    if (!mailbox.ready || route.name !== 'rules') return
    if (asked === 'new') {
      if (workbench.ruleId !== undefined) workbench.startNew()
      return
    }
    const id = asked ? Number(asked) : workbench.ruleId
    const found = mailbox.rules.find((each) => each.id === id)
    if (found) workbench.open(found)
    const first = mailbox.rules[0]
    if (!found && first && !workbench.changed) void router.replace(`/rules/${first.id}`)
    else if (!found) void router.replace('/rules/new')
    else if (!asked) void router.replace(`/rules/${found.id}`)
  },
  { immediate: true },
)

const { rehearsal, failure, running } = useRehearsal(
  () => workbench.draft,
  undefined,
  () => mailbox.version,
  () => workbench.ruleId,
)
</script>

<template>
  <main class="rules">
    <h1 class="visually-hidden">Rules</h1>
    <RuleLine />
    <RuleEditor :rehearsal="rehearsal" :stored="stored" />
    <RehearsalPane
      :rehearsal="rehearsal"
      :failure="failure"
      :running="running"
      :bracket="workbench.draft.when.bracket"
      :folder="workbench.draft.folder"
    />
  </main>
</template>

<style scoped>
.rules {
  display: grid;
  grid-template-columns: 296px minmax(0, 564px) minmax(0, 1fr);
}
</style>
