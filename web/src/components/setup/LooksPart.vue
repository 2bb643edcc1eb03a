<script setup lang="ts">
import { useLooks, type Looks } from '@/composables/useLooks'

const looks = useLooks()

const CHOICES: { value: Looks; label: string }[] = [
  { value: 'auto', label: 'As this computer has it' },
  { value: 'light', label: 'Light' },
  { value: 'dark', label: 'Dark' },
]
</script>

<template>
  <p class="lead">
    How Mnemic looks in this browser. Mail that brings its own colours stays on white paper.
  </p>
  <el-radio-group v-model="looks" class="choices" aria-label="Light or dark">
    <el-radio v-for="choice in CHOICES" :key="choice.value" :value="choice.value">{{
      choice.label
    }}</el-radio>
  </el-radio-group>
</template>

<style scoped>
.choices {
  display: grid;
  justify-items: start;
}
</style>
