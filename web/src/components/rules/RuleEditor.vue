<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import type { LineChange, Rehearsal, StoredRule } from '@/api/client'
import { useKeys } from '@/composables/useKeys'
import { nameOf, newCondition, newGroup } from '@/rules/draft'
import { countSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useCatchUps } from '@/stores/catch-ups'
import { askAboutExamples, useLine } from '@/stores/line'
import { useMailbox } from '@/stores/mailbox'
import { useWorkbench } from '@/stores/workbench'

import BracketPart from './BracketPart.vue'
import RuleWork from './RuleWork.vue'
import RunsPart from './RunsPart.vue'
import ThenPart from './ThenPart.vue'

const mailbox = useMailbox()
const workbench = useWorkbench()
const line = useLine()
const acts = useActs()
const catchUps = useCatchUps()
const router = useRouter()
const props = defineProps<{ rehearsal: Rehearsal | undefined; stored: StoredRule | undefined }>()
const emit = defineEmits<{ versions: []; catchUp: [] }>()

const name = computed({
  get: () => nameOf(workbench.draft),
  set: (value: string) => {
    workbench.draft.named = value.trim() !== ''
    workbench.draft.name = value
  },
})
function complaintAt(path: string): string {
  return workbench
    .complaintsAt(path)
    .map((each) => each.message)
    .join('; ')
}
const general = computed(() =>
  workbench.complaints.filter((each) => !/^(name|(when|unless)\.|then|runs)/.test(each.path)),
)
const enabled = computed(() => props.stored?.rule.enabled ?? workbench.draft.enabled)

async function turn(on: boolean): Promise<void> {
  if (props.stored) await line.act([props.stored.id], on ? 'switch_on' : 'switch_off')
  else workbench.draft.enabled = on
}

/** Erasing is asked about once more, where it is new. */
async function sureOfErasing(): Promise<boolean> {
  const erases = workbench.draft.more.some((each) => each.do === 'erase')
  const did = props.stored?.rule.then.some((each) => each.do === 'erase') ?? false
  if (!erases || did) return true
  try {
    await ElMessageBox.confirm(
      `This rule erases mail. Each message is held back for ${countSaying(mailbox.undoDays, 'day')}, and Undo brings it back as long; after that it is gone for good.`,
      'Erase by rule?',
      { confirmButtonText: 'Save the rule', cancelButtonText: 'Go back' },
    )
    return true
  } catch {
    return false
  }
}

async function save(): Promise<LineChange | undefined> {
  if (!(await sureOfErasing())) return undefined
  const isNew = workbench.ruleId === undefined
  const done = await workbench.save(askAboutExamples)
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

async function catchUp(): Promise<void> {
  let id = props.stored?.id
  let saved: LineChange | undefined
  if (workbench.changed || id === undefined) {
    saved = await save()
    id = saved?.rules[0]?.id
    if (!saved || id === undefined) return
  }
  const before = saved ? `Saved “${saved.rules[0]?.rule.name ?? ''}”. ` : ''
  await catchUps.start({ rule_ids: [id] }, before)
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

function more(command: 'copy' | 'versions' | 'catch-up' | 'delete'): void {
  if (command === 'catch-up') emit('catchUp')
  else if (command === 'copy') void copy()
  else if (command === 'delete') void remove()
  else emit('versions')
}

function addUnless(): void {
  workbench.draft.unless = newGroup('any', [newCondition('from')])
}

useKeys({ 'ctrl+enter': () => void saveOnly() })

/** Messages that a catch-up would change: taken, not yet as the rule has them, nor put by hand. */
const toCatchUp = computed(() => {
  const { takes = 0, settled = 0, respected = 0 } = props.rehearsal ?? {}
  return takes - settled - respected
})
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
      <header>
        <input v-model="name" class="name" aria-label="Name of the rule" placeholder="New rule" />
        <label class="switch">
          {{ enabled ? 'On' : 'Off' }}
          <el-switch
            :model-value="enabled"
            aria-label="The rule is on"
            @update:model-value="(on: string | number | boolean) => turn(on === true)"
          />
        </label>
        <el-dropdown v-if="stored" trigger="click" :show-arrow="false" @command="more">
          <button class="text-button" type="button" aria-label="More for this rule">⋯</button>
          <template #dropdown>
            <el-dropdown-menu>
              <el-dropdown-item command="copy">Copy this rule</el-dropdown-item>
              <el-dropdown-item command="versions">Earlier versions</el-dropdown-item>
              <el-dropdown-item command="catch-up">Catch up some of the mail…</el-dropdown-item>
              <el-dropdown-item command="delete" divided
                >Delete the rule; mail stays where it is</el-dropdown-item
              >
            </el-dropdown-menu>
          </template>
        </el-dropdown>
      </header>
      <RuleWork v-if="stored" :id="stored.id" />
      <p v-if="complaintAt('name')" class="complaint" role="alert">{{ complaintAt('name') }}</p>
      <h2>When</h2>
      <BracketPart
        v-model="workbench.draft.when"
        name=""
        part="when"
        :rehearsal="rehearsal"
        outermost
      />
      <h2>Unless</h2>
      <BracketPart
        v-if="workbench.draft.unless"
        v-model="workbench.draft.unless"
        name="Unless: "
        part="unless"
        :rehearsal="rehearsal"
        @remove="workbench.draft.unless = undefined"
        @dissolve="workbench.draft.unless = undefined"
      />
      <p v-else class="none">
        <button class="text-button" type="button" @click="addUnless">+ exception</button>
      </p>
      <h2>Then</h2>
      <ThenPart />
      <h2>Runs</h2>
      <RunsPart />
      <p
        v-for="each in general"
        :key="each.path + each.message"
        class="complaint wide"
        role="alert"
      >
        {{ each.message }}
      </p>
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
        :disabled="workbench.busy || (!workbench.changed && !!stored)"
        title="Ctrl+Enter"
        @click="saveOnly"
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
        <el-popover v-if="stored && changes.length" :width="320" trigger="click" placement="top">
          <template #reference>
            <button class="text-button" type="button">{{ state }}</button>
          </template>
          <ul class="changes" aria-label="Changes not saved">
            <li v-for="each in changes" :key="each">{{ each }}</li>
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

header {
  grid-column: 1 / -1;
  display: flex;
  align-items: center;
  gap: 16px;
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

h2 {
  font-size: 14px;
  line-height: 32px;
  font-weight: 600;
  color: var(--ink-soft);
}

.complaint {
  grid-column: 1 / -1;
  color: var(--brick);
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

.changes {
  display: grid;
  gap: 6px;
  max-height: 260px;
  overflow-y: auto;
}
</style>
