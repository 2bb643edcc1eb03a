<script setup lang="ts">
import { computed, onScopeDispose, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import CatchUpPane from '@/components/rules/CatchUpPane.vue'
import RehearsalPane from '@/components/rules/RehearsalPane.vue'
import RuleEditor from '@/components/rules/RuleEditor.vue'
import RuleLine from '@/components/rules/RuleLine.vue'
import VersionsPane from '@/components/rules/VersionsPane.vue'
import { useRehearsal } from '@/composables/useRehearsal'
import { isComplete } from '@/rules/actions'
import { destinationOf, thenOf } from '@/rules/draft'
import { useLine } from '@/stores/line'
import { useMailbox } from '@/stores/mailbox'
import { useWorkbench } from '@/stores/workbench'

const mailbox = useMailbox()
const workbench = useWorkbench()
const line = useLine()
const route = useRoute()
const router = useRouter()

const stored = computed(() => mailbox.rules.find((each) => each.id === workbench.ruleId))

/** A new rule that was put here by facts or a search has begun already. */
let begun = workbench.changed

/** The address says which rule is open; without one it is the one that was open before. */
watch(
  [() => route.params['rule'], () => mailbox.ready, () => mailbox.rules],
  ([asked], before) => {
    if (route.name !== 'rules') return
    // A new rule needs nothing of the mailbox: what is typed before that is here stays.
    if (asked === 'new') {
      // Not when only the line has changed: what was just saved is about to have its address.
      const arrived = asked !== before[0]
      if ((workbench.ruleId !== undefined && arrived) || !begun) workbench.startNew()
      begun = true
      return
    }
    if (!mailbox.ready) return
    const id = asked ? Number(asked) : workbench.ruleId
    const found = mailbox.rules.find((each) => each.id === id)
    if (found) workbench.open(found)
    const first = mailbox.rules[0]
    if (!found && first && (asked || !workbench.changed)) void router.replace(`/rules/${first.id}`)
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

line.watching = true
onScopeDispose(() => (line.watching = false))
const findings = computed(() => line.findings.filter((each) => each.rule_id === workbench.ruleId))

/** What stands in place of the rehearsal: versions of the rule, or a catch-up to be chosen. */
const versions = ref(false)
const catchUp = ref<number[]>([])
watch(
  () => workbench.ruleId,
  () => {
    versions.value = false
    catchUp.value = []
  },
)
</script>

<template>
  <main class="rules">
    <h1 class="visually-hidden">Rules</h1>
    <RuleLine @catch-up="(ids) => (catchUp = ids)" />
    <RuleEditor
      :rehearsal="rehearsal"
      :stored="stored"
      @versions="versions = true"
      @catch-up="catchUp = stored ? [stored.id] : []"
    />
    <CatchUpPane v-if="catchUp.length" :rule-ids="catchUp" back="Rehearsal" @close="catchUp = []" />
    <VersionsPane v-else-if="versions && stored" :id="stored.id" @close="versions = false" />
    <RehearsalPane
      v-else
      :rehearsal="rehearsal"
      :failure="failure"
      :running="running"
      :bracket="workbench.draft.when.bracket"
      :goes="destinationOf(workbench.draft)"
      :acts="thenOf(workbench.draft).some(isComplete)"
      :findings="findings"
    />
  </main>
</template>

<style scoped>
.rules {
  display: grid;
  grid-template-columns: 296px minmax(0, 564px) minmax(0, 1fr);
}
</style>
