<script setup lang="ts">
const open = defineModel<boolean>({ required: true })

const KEYS: [string, string][] = [
  ['1 … 5', 'Mail, Rules, History, Insights, Setup'],
  ['F', 'Find'],
  ['N', 'New rule'],
  ['↑ ↓', 'The message before or after'],
  ['Enter', 'Into the open message, to its facts'],
  ['Shift ↑ ↓', 'Select one more'],
  ['Space', 'Select or not, in the list and in the line'],
  ['Ctrl A', 'Select all of the list'],
  ['Delete', 'To the trash'],
  ['M', 'Make a rule from this message, or from those selected'],
  ['W', 'Why is it here?'],
  ['H', 'The rules at hand'],
  ['Ctrl Z', 'Undo'],
  ['Ctrl Enter', 'Save the rule'],
  ['Alt ↑ ↓', 'Move a rule in the line, or a condition from its handle'],
  ['T', 'Insights: pictures as tables, and back'],
  ['Esc', 'Select none, close'],
  ['?', 'These keys'],
]
</script>

<template>
  <el-dialog v-model="open" title="Keys" width="420px" append-to-body>
    <dl>
      <template v-for="[key, meaning] in KEYS" :key="key">
        <dt>
          <kbd>{{ key }}</kbd>
        </dt>
        <dd>{{ meaning }}</dd>
      </template>
    </dl>
  </el-dialog>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 120px 1fr;
  gap: 6px 12px;
}

kbd {
  font: 600 13px/20px var(--type-interface);
  color: var(--spruce);
}
</style>
