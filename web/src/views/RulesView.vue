<script setup lang="ts">
import { computed, onScopeDispose, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import CatchUpPane from '@/components/rules/CatchUpPane.vue'
import CountsBar from '@/components/rules/CountsBar.vue'
import StartsPart from '@/components/rules/StartsPart.vue'
import RehearsalPane from '@/components/rules/RehearsalPane.vue'
import RuleEditor from '@/components/rules/RuleEditor.vue'
import RuleLine from '@/components/rules/RuleLine.vue'
import VersionsPane from '@/components/rules/VersionsPane.vue'
import AsidePane from '@/components/shell/AsidePane.vue'
import { useAtRest } from '@/composables/useAtRest'
import { useFrames } from '@/composables/useFrames'
import { useRehearsal } from '@/composables/useRehearsal'
import { useNarrow } from '@/composables/useRoom'
import { isComplete } from '@/rules/actions'
import { destinationOf, thenOf } from '@/rules/draft'
import { countSaying, foundSaying } from '@/rules/sayings'
import { useLine } from '@/stores/line'
import { useMailbox } from '@/stores/mailbox'
import { useWorkbench } from '@/stores/workbench'

const mailbox = useMailbox()
const workbench = useWorkbench()
const line = useLine()
const route = useRoute()
const router = useRouter()

const stored = computed(() => mailbox.rules.find((rule) => rule.id === workbench.ruleId))

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
    const listedRule = mailbox.rules.find((rule) => rule.id === id)
    if (listedRule) workbench.open(listedRule)
    const first = mailbox.rules[0]
    if (!listedRule && first && (asked || !workbench.changed))
      void router.replace(`/rules/${first.id}`)
    else if (!listedRule) void router.replace('/rules/new')
    else if (!asked) void router.replace(`/rules/${listedRule.id}`)
  },
  { immediate: true },
)

const { rehearsal, failure, running } = useRehearsal(
  () => workbench.draft,
  undefined,
  () => mailbox.version,
  () => workbench.ruleId,
)

const atRest = useAtRest(() => {
  const now = rehearsal.value
  if (!now || running.value) return ''
  const [takes, nearly] = [now.takes, now.nearly].map((count) => foundSaying(count, now.whole))
  return `The rule takes ${takes ?? ''}, nearly ${nearly ?? ''}`
})

line.watching = true
onScopeDispose(() => (line.watching = false))
const findings = computed(() =>
  line.findings.filter((finding) => finding.rule_id === workbench.ruleId),
)

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

/** Where there is room for the rule alone, the line and what comes of the rule lie over it. */
const narrow = useNarrow()
const lineOpen = ref(false)
const sheetOpen = ref(false)
watch(
  () => route.params['rule'],
  (now, before) => {
    // Whoever comes without a rule in mind chooses one.
    if (!now && before === undefined) lineOpen.value = narrow.value && mailbox.rules.length > 1
    else if (before || now === 'new') lineOpen.value = sheetOpen.value = false
  },
  { immediate: true },
)
function chooseCatchUp(ids: number[]): void {
  catchUp.value = ids
  if (ids.length) [lineOpen.value, sheetOpen.value] = [false, true]
}
function showVersions(): void {
  versions.value = sheetOpen.value = true
}
/** The line is there at once; the rule and what comes of it are made in the next frames. */
const frames = useFrames(2)

/** A new rule of which nothing is said yet: it is helped to begin. */
const begins = computed(() => !stored.value && !workbench.changed)
const sheetTitle = computed(() => {
  if (catchUp.value.length) return 'Catch-up'
  if (begins.value) return 'To begin with'
  return versions.value && stored.value ? 'Earlier versions' : 'Rehearsal'
})
</script>

<template>
  <main class="rules">
    <h1 class="visually-hidden">Rules</h1>
    <p class="visually-hidden" role="status">{{ atRest }}</p>
    <p v-if="narrow" class="strip thumb-row">
      <button class="text-button" type="button" aria-haspopup="dialog" @click="lineOpen = true">
        ☰ The line: {{ countSaying(mailbox.rules.length, 'rule') }}
      </button>
      <RouterLink class="text-button" to="/rules/new" title="New rule (N)">New rule</RouterLink>
    </p>
    <AsidePane v-model="lineOpen" title="The line" from="left">
      <RuleLine @catch-up="chooseCatchUp" />
    </AsidePane>
    <RuleEditor
      v-if="frames"
      :rehearsal="rehearsal"
      :stored="stored"
      @versions="showVersions"
      @catch-up="chooseCatchUp(stored ? [stored.id] : [])"
    />
    <div v-else class="coming"></div>
    <CountsBar
      v-if="narrow"
      :rehearsal="rehearsal"
      :running="running"
      :begins="begins"
      @open="sheetOpen = true"
    />
    <AsidePane v-if="frames > 1" v-model="sheetOpen" :title="sheetTitle" from="below">
      <CatchUpPane
        v-if="catchUp.length"
        :rule-ids="catchUp"
        back="Rehearsal"
        @close="catchUp = []"
      />
      <VersionsPane v-else-if="versions && stored" :id="stored.id" @close="versions = false" />
      <StartsPart v-else-if="begins" />
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
    </AsidePane>
  </main>
</template>

<style scoped>
.rules {
  display: grid;
  grid-template: minmax(0, 1fr) / 280px minmax(0, 600px) minmax(0, 1fr);
}

.coming {
  background: var(--sheet);
}

.strip {
  display: flex;
  justify-content: space-between;
  gap: 14px;
  padding: 4px 14px;
  border-bottom: 1px solid var(--line);
}

.strip a {
  text-decoration: none;
}

@media (max-width: 1099px) {
  .rules {
    grid-template: auto minmax(0, 1fr) auto / minmax(0, 1fr);
  }
}

@media (min-width: 1600px) {
  .rules {
    grid-template-columns: 320px minmax(0, 640px) minmax(0, 1fr);
  }
}
</style>
