<script setup lang="ts">
import { computed, ref, watch } from 'vue'

import { api, content, type Account } from '@/api/client'
import { useClosingList } from '@/composables/useClosingList'
import DayField from '@/components/shell/DayField.vue'
import FieldComplaint from '@/components/shell/FieldComplaint.vue'
import { useWorkbench } from '@/stores/workbench'

const workbench = useWorkbench()

/** A rule for a time says its days; others have no room for them until they are wanted. */
const asked = ref(false)
const timed = computed(
  () => asked.value || !!workbench.draft.active.from || !!workbench.draft.active.until,
)
watch(
  () => workbench.ruleId,
  () => (asked.value = false),
)
function setTimed(wanted: boolean): void {
  asked.value = wanted
  if (!wanted) workbench.draft.active = { from: '', until: '' }
}

const close = useClosingList('choice')

/** With one account there is nothing to choose, unless the rule names one. */
const accounts = ref<readonly Account[]>([])
void content(api.GET('/api/accounts'))
  .then((connections) => (accounts.value = connections.accounts))
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
    <div class="time" data-field>
      <el-checkbox
        :model-value="timed"
        label="only mail received"
        @update:model-value="(wanted: unknown) => setTimed(!!wanted)"
      />
      <span v-if="timed" class="days">
        from
        <DayField v-model="workbench.draft.active.from" name="First day it is for" />
        until
        <DayField v-model="workbench.draft.active.until" name="Last day it is for" />
      </span>
      <FieldComplaint :saying="workbench.saidAt('active')" />
    </div>
  </div>
</template>

<style scoped>
.runs {
  line-height: 32px;
}

.time {
  line-height: 32px;
}

.days {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 4px 8px;
}

.accounts {
  max-width: 380px;
}
</style>
