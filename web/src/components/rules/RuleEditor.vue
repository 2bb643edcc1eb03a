<script setup lang="ts">
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import type { Rehearsal, StoredRule } from '@/api/client'
import { useKeys } from '@/composables/useKeys'
import { nameOf, newCondition, newGroup } from '@/rules/draft'
import { catchUpSaying, countSaying } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'
import { useWorkbench } from '@/stores/workbench'

import ThenPart from './ThenPart.vue'
import BracketPart from './BracketPart.vue'

const mailbox = useMailbox()
const workbench = useWorkbench()
const router = useRouter()
const props = defineProps<{ rehearsal: Rehearsal | undefined; stored: StoredRule | undefined }>()

const name = computed({
  get: () => nameOf(workbench.draft),
  set: (value: string) => {
    workbench.draft.named = value.trim() !== ''
    workbench.draft.name = value
  },
})
const nameComplaint = computed(() =>
  workbench
    .complaintsAt('name')
    .map((each) => each.message)
    .join('; '),
)
const general = computed(() =>
  workbench.complaints.filter((each) => !/^(name|(when|unless)\.|then)/.test(each.path)),
)
const enabled = computed(() => props.stored?.rule.enabled ?? workbench.draft.enabled)

async function turn(on: boolean): Promise<void> {
  if (!props.stored) {
    workbench.draft.enabled = on
    return
  }
  await workbench.switchRule(props.stored, on)
}

async function save(): Promise<StoredRule | undefined> {
  if (!(await sureOfErasing())) return undefined
  const isNew = workbench.ruleId === undefined
  const stored = await workbench.save()
  if (!stored) return undefined
  if (isNew) await router.replace(`/rules/${stored.id}`)
  return stored
}

/** Erasing is asked about once more, where it is new. */
async function sureOfErasing(): Promise<boolean> {
  const erases = workbench.draft.more.some((each) => each.do === 'erase')
  const did = props.stored?.rule.then.some((each) => each.do === 'erase') ?? false
  if (!erases || did) return true
  try {
    await ElMessageBox.confirm(
      'This rule erases mail. Each message is held back for 30 days, so that it can be brought back; after that it is gone for good.',
      'Erase by rule?',
      { confirmButtonText: 'Save the rule', cancelButtonText: 'Go back' },
    )
    return true
  } catch {
    return false
  }
}

async function saveOnly(): Promise<void> {
  const stored = await save()
  if (stored) ElMessage({ type: 'success', message: `Saved “${stored.rule.name}”`, plain: true })
}

async function catchUp(): Promise<void> {
  const stored = workbench.changed || !props.stored ? await save() : props.stored
  if (!stored) return
  const done = await workbench.catchUp(stored.id)
  ElMessage({ type: 'success', message: catchUpSaying(done), plain: true, duration: 6000 })
}

async function remove(): Promise<void> {
  if (!props.stored) return
  await workbench.remove(props.stored.id)
  await router.push('/rules')
}

function addUnless(): void {
  workbench.draft.unless = newGroup('any', [newCondition('from')])
}

useKeys({ 'ctrl+enter': () => void saveOnly() })

/** Messages that a catch-up would change: taken, and not yet where the rule puts them. */
const toCatchUp = computed(() => (props.rehearsal?.takes ?? 0) - (props.rehearsal?.settled ?? 0))
const catchUpLabel = computed(() => {
  if (toCatchUp.value === 0) return 'Nothing to catch up'
  const count = toCatchUp.value.toLocaleString('en-GB')
  return workbench.changed || !props.stored ? `Save and catch up ${count}` : `Catch up ${count}`
})
const state = computed(() => {
  if (!props.stored) return 'Not saved yet'
  return workbench.changed ? 'Changes not saved' : 'Saved'
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
      </header>
      <p v-if="nameComplaint" class="complaint" role="alert">{{ nameComplaint }}</p>
      <h2>When</h2>
      <BracketPart v-model="workbench.draft.when" name="" :rehearsal="rehearsal" outermost />
      <h2>Unless</h2>
      <BracketPart
        v-if="workbench.draft.unless"
        v-model="workbench.draft.unless"
        name="Unless: "
        @remove="workbench.draft.unless = undefined"
        @dissolve="workbench.draft.unless = undefined"
      />
      <p v-else class="none">
        <button class="text-button" type="button" @click="addUnless">+ exception</button>
      </p>
      <h2>Then</h2>
      <ThenPart />
      <h2>Runs</h2>
      <div class="runs">
        <el-checkbox-group v-model="workbench.draft.runs" aria-label="When it runs">
          <el-checkbox value="arrival" label="as mail arrives" />
          <el-checkbox value="sent" label="on mail I send" />
          <el-checkbox value="hand" label="when I ask" />
        </el-checkbox-group>
      </div>
      <p
        v-for="each in general"
        :key="each.path + each.message"
        class="complaint wide"
        role="alert"
      >
        {{ each.message }}
      </p>
    </div>
    <p v-if="rehearsal" class="sentence">
      <template v-for="(phrase, index) in rehearsal.sentence" :key="index">
        <b v-if="phrase.strong">{{ phrase.text }}</b>
        <template v-else>{{ phrase.text }}</template>
      </template>
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
        :disabled="workbench.busy || !toCatchUp"
        :title="
          toCatchUp
            ? `Does to ${countSaying(toCatchUp, 'message')} already here what the rule says`
            : ''
        "
        @click="catchUp"
        >{{ catchUpLabel }}</el-button
      >
      <el-popconfirm
        v-if="stored"
        :title="`Delete “${stored.rule.name}”? Mail stays where it is.`"
        confirm-button-text="Delete"
        cancel-button-text="Keep"
        width="260"
        @confirm="remove"
      >
        <template #reference>
          <button class="text-button destructive" type="button">Delete rule</button>
        </template>
      </el-popconfirm>
      <span class="state" role="status">{{ mailbox.ready ? state : '' }}</span>
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
  gap: 20px 8px;
  align-content: start;
  padding: 14px 18px 24px;
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

.none,
.runs {
  line-height: 32px;
}

.sentence {
  padding: 14px 18px;
  border-top: 1px solid var(--line);
  background: var(--sheet-soft);
  font: italic 16.5px/24px var(--type-mail);
  overflow-wrap: anywhere;
  max-height: 30%;
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
  margin-left: auto;
  color: var(--ink-soft);
}
</style>
