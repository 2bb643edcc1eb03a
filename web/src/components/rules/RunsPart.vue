<script setup lang="ts">
import { ref } from 'vue'

import { api, content, type Account } from '@/api/client'
import { useClosingList } from '@/composables/useClosingList'
import { useWorkbench } from '@/stores/workbench'

const workbench = useWorkbench()

const close = useClosingList('choice')

/** With one account there is nothing to choose, unless the rule names one. */
const accounts = ref<readonly Account[]>([])
void content(api.GET('/api/accounts'))
  .then((found) => (accounts.value = found.accounts))
  .catch(() => {
    // without the list the rule keeps the accounts that it names
  })
</script>

<template>
  <div class="runs">
    <el-checkbox-group v-model="workbench.draft.runs" aria-label="When it runs">
      <el-checkbox value="arrival" label="as mail arrives" />
      <el-checkbox value="sent" label="on mail I send" />
      <el-checkbox value="daily" label="once a day, on mail that is here" />
      <el-checkbox value="hand" label="when I ask" />
    </el-checkbox-group>
    <el-select
      v-if="accounts.length > 1 || workbench.draft.accounts.length"
      ref="choice"
      v-model="workbench.draft.accounts"
      class="accounts"
      multiple
      aria-label="Accounts it is for"
      placeholder="for all accounts"
      :teleported="false"
      @change="close"
    >
      <el-option
        v-for="account in accounts"
        :key="account.id"
        :value="account.address"
        :label="`${account.name}, ${account.address}`"
      />
    </el-select>
  </div>
</template>

<style scoped>
.runs {
  line-height: 32px;
}

.accounts {
  max-width: 380px;
}
</style>
