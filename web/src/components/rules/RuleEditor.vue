<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import { catchUpBody } from '@/api/bodies'
import { api, content, type LineChange, type Rehearsal, type StoredRule } from '@/api/client'
import { useFrames } from '@/composables/useFrames'
import { focusFirstComplaint } from '@/composables/useFormComplaints'
import { useKeys } from '@/composables/useKeys'
import { newCondition, newGroup } from '@/rules/draft'
import { countSaying } from '@/rules/sayings'
import { askAboutErasing, askAboutLargeMove, useActs } from '@/stores/acts'
import { useCatchUps } from '@/stores/catch-ups'
import { askAboutExamples } from '@/stores/line'
import { useMailbox } from '@/stores/mailbox'
import { inSentences, useWorkbench } from '@/stores/workbench'

import FieldComplaint from '@/components/shell/FieldComplaint.vue'

import BracketPart from './BracketPart.vue'
import RuleHead from './RuleHead.vue'
import RuleWork from './RuleWork.vue'
import RunsPart from './RunsPart.vue'
import ThenPart from './ThenPart.vue'

const mailbox = useMailbox()
const workbench = useWorkbench()
const acts = useActs()
const catchUps = useCatchUps()
const router = useRouter()
const props = defineProps<{ rehearsal: Rehearsal | undefined; stored: StoredRule | undefined }>()
const emit = defineEmits<{ versions: []; catchUp: [] }>()

/** What stands at no part of the rule. */
const general = computed(() =>
  inSentences(
    workbench.complaints.filter(
      (complaint) => !/^(name|when|unless|then|runs|active)/.test(complaint.path),
    ),
  ),
)
/** Of a whole part: while no condition says anything it has no place of its own. */
function saidOf(part: 'when' | 'unless'): string {
  const node = workbench.draft[part]?.id
  if (node !== undefined && workbench.places.has(node)) return workbench.saidOn(node)
  return workbench.saidAt(part)
}
/** Erasing is asked about once more, where it is new. */
async function sureOfErasing(): Promise<boolean> {
  const erases = workbench.draft.more.some((action) => action.do === 'erase')
  const did = props.stored?.rule.then.some((action) => action.do === 'erase') ?? false
  if (!erases || did) return true
  return askAboutErasing(props.rehearsal?.takes ?? 0, toCatchUp.value, mailbox.undoDays)
}

async function save(sure = false): Promise<LineChange | undefined> {
  if (!sure && !(await sureOfErasing())) return undefined
  const isNew = workbench.ruleId === undefined
  const done = await workbench.save(askAboutExamples)
  if (!done) await focusFirstComplaint()
  const id = done?.rules[0]?.id
  if (isNew && id !== undefined) await router.replace(`/rules/${id}`)
  return done
}

/** What was saved, in words; the way back is beside it. */
function tell(done: LineChange): void {
  const changes = done.changes.length > 0 ? `: ${done.changes.join('; ')}` : ''
  const saying = `Saved “${done.rules[0]?.rule.name ?? ''}”${changes}`
  acts.tell(done.run_id === null ? { saying } : { saying, runId: done.run_id })
}

async function saveOnly(): Promise<void> {
  const done = await save()
  if (done) tell(done)
}

/** What a catch-up with the draft is asked about first; short of time it was not counted whole. */
async function question(id: number | undefined): Promise<string | null> {
  if (props.rehearsal?.whole !== false || id === undefined) return props.rehearsal?.question ?? null
  const body = catchUpBody({ rule_ids: [id] })
  return (await content(api.POST('/api/catch-ups/preview', { body }))).question
}

async function catchUp(): Promise<void> {
  let id = props.stored?.id
  const asks = props.rehearsal?.question
  if (asks && !(await askAboutLargeMove(asks))) return
  let saved: LineChange | undefined
  if (workbench.changed || id === undefined) {
    saved = await save(!!asks) // what was asked about with its number is not asked about again
    id = saved?.rules[0]?.id
    if (!saved || id === undefined) return
  }
  if (!asks) {
    const late = await question(id)
    if (late && !(await askAboutLargeMove(late))) {
      if (saved) tell(saved)
      return
    }
  }
  const before = saved ? `Saved “${saved.rules[0]?.rule.name ?? ''}”. ` : ''
  await catchUps.start({ rule_ids: [id] }, before)
}

/** Its parts are made one after the other: lists of folders and labels take their time. */
const frames = useFrames(3)

function addUnless(): void {
  workbench.draft.unless = newGroup('any', [newCondition('from')])
}

/** Switched off in looks and by ear, not for the focus: it stays where it was pressed. */
const canSave = computed(() => !workbench.busy && (workbench.changed || !props.stored))
useKeys({ 'ctrl+enter': () => void saveOnly() })

/** Messages that a catch-up would change, as it would be done. */
const toCatchUp = computed(() => props.rehearsal?.catch_up ?? 0)
const catchUpLabel = computed(() => {
  if (toCatchUp.value === 0) return 'Nothing to catch up'
  const count = `${toCatchUp.value.toLocaleString('en-GB')}${props.rehearsal?.whole ? '' : '+'}`
  return workbench.changed || !props.stored ? `Save and catch up ${count}` : `Catch up ${count}`
})
const changes = computed(() => props.rehearsal?.changes ?? [])
const state = computed(() => {
  if (!props.stored) return 'Not saved yet'
  if (!workbench.changed) return 'Saved'
  return changes.value.length > 0
    ? `${countSaying(changes.value.length, 'change')} not saved`
    : 'Changes not saved'
})
</script>

<template>
  <section class="editor" aria-label="The rule">
    <div class="sheet">
      <RuleHead :stored="stored" @versions="emit('versions')" @catch-up="emit('catchUp')" />
      <RuleWork v-if="stored" :id="stored.id" />
      <h2>When</h2>
      <div v-if="frames" data-field=".value">
        <BracketPart
          v-model="workbench.draft.when"
          name=""
          part="when"
          :rehearsal="rehearsal"
          outermost
        />
        <FieldComplaint :saying="saidOf('when')" />
      </div>
      <div v-else></div>
      <h2>Unless</h2>
      <div v-if="workbench.draft.unless" data-field=".value">
        <BracketPart
          v-model="workbench.draft.unless"
          name="Unless: "
          part="unless"
          :rehearsal="rehearsal"
          @remove="workbench.draft.unless = undefined"
          @dissolve="workbench.draft.unless = undefined"
        />
        <FieldComplaint :saying="saidOf('unless')" />
      </div>
      <p v-else class="none">
        <button class="text-button" type="button" @click="addUnless">+ exception</button>
      </p>
      <h2>Then</h2>
      <ThenPart v-if="frames > 1" />
      <div v-else></div>
      <h2>Runs</h2>
      <div v-if="frames > 2" data-field>
        <RunsPart />
        <FieldComplaint :saying="workbench.saidAt('runs')" />
      </div>
      <FieldComplaint class="complaint" :saying="general" />
    </div>
    <p class="sentence" aria-label="The rule as a sentence">
      <template v-if="rehearsal">
        <template v-for="(phrase, index) in rehearsal.sentence" :key="index">
          <b v-if="phrase.strong">{{ phrase.text }}</b>
          <template v-else>{{ phrase.text }}</template>
        </template>
      </template>
      <template v-else>The rule reads itself back here as you build it.</template>
    </p>
    <footer>
      <el-button
        type="primary"
        :class="{ 'is-disabled': !canSave }"
        :aria-disabled="!canSave"
        title="Ctrl+Enter"
        @click="canSave && saveOnly()"
        >Save</el-button
      >
      <el-button
        :disabled="workbench.busy || !toCatchUp || !!catchUps.job"
        :title="
          toCatchUp
            ? `Does to ${countSaying(toCatchUp, 'message')} already here what the rule says`
            : ''
        "
        @click="catchUp"
        >{{ catchUpLabel }}</el-button
      >
      <span class="state">
        <el-popover
          v-if="stored && changes.length"
          :persistent="false"
          :width="320"
          trigger="click"
          placement="top"
          :teleported="false"
        >
          <template #reference>
            <button class="text-button" type="button">{{ state }}</button>
          </template>
          <ul class="changes" aria-label="Changes not saved">
            <li v-for="change in changes" :key="change">{{ change }}</li>
          </ul>
        </el-popover>
        <span v-else role="status">{{ mailbox.ready ? state : '' }}</span>
        <button
          v-if="workbench.changed"
          class="text-button"
          type="button"
          @click="workbench.discard"
        >
          Discard
        </button>
        <button
          v-if="!stored && workbench.aside"
          class="text-button"
          type="button"
          title="A new rule that you had begun before this one"
          @click="workbench.takeAside"
        >
          The one begun before
        </button>
      </span>
    </footer>
  </section>
</template>

<style scoped>
.editor {
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--sheet);
  border: solid var(--line);
  border-width: 0 1px;
}

.sheet {
  flex: 1;
  overflow-y: auto;
  display: grid;
  grid-template-columns: 44px minmax(0, 1fr);
  gap: 18px 8px;
  align-content: start;
  padding: 14px 18px 20px;
}

h2 {
  font-size: 14px;
  line-height: 32px;
  font-weight: 600;
  color: var(--ink-soft);
}

.complaint {
  grid-column: 1 / -1;
}

.none {
  line-height: 32px;
}

.sentence {
  padding: 14px 18px;
  border-top: 1px solid var(--line);
  background: var(--sheet-soft);
  font: italic 16.5px/24px var(--type-mail);
  overflow-wrap: anywhere;
  max-height: 34%;
  overflow-y: auto;
}

footer {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 12px 18px;
  border-top: 1px solid var(--line);
}

footer :deep(.el-button + .el-button) {
  margin-left: 0;
}

.state {
  display: flex;
  gap: 14px;
  margin-left: auto;
  color: var(--ink-soft);
}

@media (max-width: 1099px) {
  .sheet,
  .sentence {
    padding-inline: max(18px, (100% - 720px) / 2);
  }

  footer {
    padding-inline: max(18px, (100% - 720px) / 2);
  }
}

/* All of it scrolls as one; only what saves stays at hand. */
@media (max-width: 699px) {
  .editor {
    overflow-y: auto;
    border-width: 0;
  }

  .sheet {
    flex: none;
    grid-template-columns: minmax(0, 1fr);
    gap: 6px 8px;
    overflow: visible;
    padding: 8px 12px 16px;
  }

  h2 {
    line-height: 24px;
  }

  .sentence {
    max-height: none;
    overflow: visible;
    padding: 12px;
  }

  footer {
    position: sticky;
    bottom: 0;
    z-index: 3;
    flex-wrap: wrap;
    gap: 6px 12px;
    padding: 6px 12px;
    background: var(--sheet);
  }
}

@media (max-width: 699px) and (max-height: 419px) {
  footer {
    position: static;
  }
}

.changes {
  display: grid;
  gap: 6px;
  max-height: 260px;
  overflow-y: auto;
}
</style>
