<script setup lang="ts">
import { CollectionTag, FolderOpened } from '@element-plus/icons-vue'
import { computed } from 'vue'

import type { Action } from '@/api/client'
import { actionKind, freeKinds, freshAction, type ActionKind } from '@/rules/actions'
import { thenPlaces } from '@/rules/draft'
import { useMailbox } from '@/stores/mailbox'
import { inSentences, useWorkbench } from '@/stores/workbench'
import { isAt } from '@/text/complaints'

import FieldComplaint from '@/components/shell/FieldComplaint.vue'

import ActionRow from './ActionRow.vue'
import PlaceSelect from './PlaceSelect.vue'

const mailbox = useMailbox()
const workbench = useWorkbench()

function isNew(name: string, there: string[]): boolean {
  return name !== '' && !there.some((place) => place.toLowerCase() === name.toLowerCase())
}

const paths = computed(() => mailbox.paths.map(({ path }) => path))
const newFolder = computed(() => isNew(workbench.draft.folder, paths.value))
const newLabels = computed(() => {
  const there = mailbox.labels.map((label) => label.name)
  return workbench.draft.labels.filter((name) => isNew(name, there))
})
const free = computed(() => freeKinds(workbench.draft.more, workbench.draft.folder.trim() !== ''))
/** Filing is one place; another one stands instead of it. */
const placed = computed(() =>
  workbench.draft.more.some((action) => actionKind(action.do).slot === 'place'),
)

function add(kind: ActionKind): void {
  const made = freshAction(kind)
  if (made.do === 'file') workbench.draft.folder = made.folder
  else workbench.draft.more.push(made)
}

function put(index: number, action: Action): void {
  workbench.draft.more.splice(index, 1, action)
}

const places = computed(() => thenPlaces(workbench.draft))
/** What is wrong with Then as a whole. */
const complaint = computed(() => {
  const { folder, labels, more } = places.value
  const inside = [...folder, ...labels, ...more]
  return inSentences(
    workbench
      .complaintsAt('then')
      .filter((complaint) => !inside.some((place) => isAt(complaint, place))),
  )
})
</script>

<template>
  <div class="then" data-field>
    <label class="action" for="then-folder"
      ><el-icon aria-hidden="true"><FolderOpened /></el-icon> File in</label
    >
    <div data-field>
      <PlaceSelect
        id="then-folder"
        v-model="workbench.draft.folder"
        class="place"
        kind="folder"
        name="File in folder"
        clearable
        :placeholder="placed ? 'not filed: see below' : 'stays; pick or type a new folder'"
        :disabled="placed"
      />
      <p v-if="newFolder" class="new">New folder; it is made when you save.</p>
      <FieldComplaint :saying="workbench.saidAt(...places.folder)" />
    </div>
    <span></span>
    <label class="action" for="then-labels"
      ><el-icon aria-hidden="true"><CollectionTag /></el-icon> Label</label
    >
    <div data-field>
      <PlaceSelect
        id="then-labels"
        v-model="workbench.draft.labels"
        class="place"
        kind="label"
        name="Labels"
        placeholder="none; pick or type a new label"
      />
      <p v-if="newLabels.length" class="new">
        New label; it is made, with a colour of its own, when you save.
      </p>
      <FieldComplaint :saying="workbench.saidAt(...places.labels)" />
    </div>
    <span></span>
    <ActionRow
      v-for="(action, index) in workbench.draft.more"
      :key="index"
      :model-value="action"
      :complaint="workbench.saidAt(places.more[index] ?? '')"
      @update:model-value="(next) => put(index, next)"
      @remove="workbench.draft.more.splice(index, 1)"
    />
    <el-dropdown :persistent="false" class="add" trigger="click" :show-arrow="false" @command="add">
      <button class="text-button" type="button">+ action</button>
      <template #dropdown>
        <el-dropdown-menu>
          <el-dropdown-item v-for="kind in free" :key="kind.name" :command="kind">{{
            kind.label
          }}</el-dropdown-item>
        </el-dropdown-menu>
      </template>
    </el-dropdown>
    <span class="action">Afterwards</span>
    <el-select
      v-model="workbench.draft.stop"
      class="place"
      aria-label="Afterwards"
      :teleported="false"
    >
      <el-option :value="false" label="later rules may still act" />
      <el-option :value="true" label="no later rule is tried" />
    </el-select>
    <span></span>
    <FieldComplaint class="complaint" :saying="complaint" />
  </div>
</template>

<style scoped>
.then {
  display: grid;
  grid-template-columns: minmax(92px, max-content) minmax(0, 300px) 24px;
  gap: 6px 8px;
  align-items: start;
}

.action {
  display: flex;
  align-items: center;
  gap: 6px;
  line-height: 32px;
}

.place {
  width: 100%;
}

.add {
  grid-column: 1 / -1;
  justify-self: start;
}

.new {
  color: var(--ink-soft);
  font-size: 13px;
}

.complaint {
  grid-column: 1 / -1;
}
</style>
