<script setup lang="ts">
import { useRouter } from 'vue-router'

const router = useRouter()

function follow(command: 'save' | 'take' | 'schema'): void {
  if (command === 'take') void router.push('/setup/files')
  else location.assign(command === 'save' ? '/api/rules/document' : '/api/rules/schema')
}
</script>

<template>
  <el-dropdown trigger="click" :show-arrow="false" @command="follow">
    <button class="text-button" type="button" aria-label="More for the line">⋯</button>
    <template #dropdown>
      <el-dropdown-menu>
        <el-dropdown-item command="save">Save the rules as a document</el-dropdown-item>
        <el-dropdown-item command="take">Take rules in from a document…</el-dropdown-item>
        <el-dropdown-item command="schema"
          >What such a document may hold (JSON Schema)</el-dropdown-item
        >
      </el-dropdown-menu>
    </template>
  </el-dropdown>
</template>
