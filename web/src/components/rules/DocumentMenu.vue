<script setup lang="ts">
import { useRouter } from 'vue-router'

const router = useRouter()

const emit = defineEmits<{ catchUp: [] }>()

function follow(command: 'save' | 'take' | 'schema' | 'catch-up'): void {
  if (command === 'catch-up') emit('catchUp')
  else if (command === 'take') void router.push('/setup/files')
  else location.assign(command === 'save' ? '/api/rules/document' : '/api/rules/schema')
}
</script>

<template>
  <el-dropdown :persistent="false" trigger="click" :show-arrow="false" @command="follow">
    <button class="text-button" type="button" aria-label="More for the line">⋯</button>
    <template #dropdown>
      <el-dropdown-menu>
        <el-dropdown-item command="catch-up">Catch up with all rules that are on…</el-dropdown-item>
        <el-dropdown-item command="save" divided>Save the rules as a document</el-dropdown-item>
        <el-dropdown-item command="take">Take rules in from a document…</el-dropdown-item>
        <el-dropdown-item command="schema"
          >What such a document may hold (JSON Schema)</el-dropdown-item
        >
      </el-dropdown-menu>
    </template>
  </el-dropdown>
</template>
