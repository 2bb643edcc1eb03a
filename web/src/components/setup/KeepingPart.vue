<script setup lang="ts">
import { ref } from 'vue'

import { api, content, type Preferences } from '@/api/client'
import FieldComplaint from '@/components/shell/FieldComplaint.vue'
import { useFormComplaints } from '@/composables/useFormComplaints'
import { countSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

const acts = useActs()
const mailbox = useMailbox()
const form = ref<Preferences>()
const complaints = useFormComplaints({
  trash_days: 'number of days',
  undo_days: 'number of days',
  daily_hour: 'hour',
  timezone: 'time zone',
})

content(api.GET('/api/preferences')).then((kept) => (form.value = kept), acts.fail)

const HOURS = Array.from({ length: 24 }, (_, hour) => hour)
function hourSaying(hour: number): string {
  return `${String(hour).padStart(2, '0')}:00`
}

const zones = Intl.supportedValuesOf('timeZone')
const here = Intl.DateTimeFormat().resolvedOptions().timeZone

async function save(): Promise<void> {
  const body = form.value
  if (!body) return
  await complaints.attempt(async () => {
    await content(api.PUT('/api/preferences', { body }))
    return { saying: 'Saved' }
  })
}
</script>

<template>
  <p class="lead">
    How long mail stays where it can be got back from, and in which time zone a calendar day begins
    and ends for rules and searches.
  </p>
  <p v-if="mailbox.toPack" class="lead">
    Mail that an older Mnemic took in is being compressed, the same to the octet:
    {{ countSaying(mailbox.toPack, 'message') }} to go. Nothing waits for it.
  </p>
  <form v-if="form" aria-label="Keeping and time" @submit.prevent="save">
    <label for="trash-days">Mail in the trash</label>
    <div class="line" data-field>
      is gone for good after
      <el-input-number
        id="trash-days"
        v-model="form.trash_days"
        :min="1"
        :max="3650"
        aria-label="Days in the trash"
      />
      days
      <FieldComplaint :saying="complaints.at('trash_days')" />
    </div>
    <label for="undo-days">Erased mail</label>
    <div class="line" data-field>
      is held back, out of sight, for
      <el-input-number
        id="undo-days"
        v-model="form.undo_days"
        :min="1"
        :max="3650"
        aria-label="Days that anything can be undone"
      />
      days; so long anything can be undone
      <FieldComplaint :saying="complaints.at('undo_days')" />
    </div>
    <label for="daily-hour">Once a day</label>
    <div class="line" data-field>
      at
      <el-select
        id="daily-hour"
        v-model="form.daily_hour"
        class="hour"
        aria-label="Hour of what happens once a day"
        :teleported="false"
      >
        <el-option v-for="hour in HOURS" :key="hour" :value="hour" :label="hourSaying(hour)" />
      </el-select>
      <FieldComplaint :saying="complaints.at('daily_hour')" />
    </div>
    <p class="hint wide">
      Rules that run once a day do so then, and mail whose time is over leaves for good. If Mnemic
      is not running at that hour, it happens at the next start.
    </p>
    <label for="timezone">Time zone</label>
    <div class="line" data-field>
      <el-select
        id="timezone"
        v-model="form.timezone"
        filterable
        aria-label="Time zone"
        :teleported="false"
      >
        <el-option v-for="zone in ['UTC', ...zones]" :key="zone" :value="zone" :label="zone" />
      </el-select>
      <button
        v-if="form.timezone !== here"
        class="text-button"
        type="button"
        @click="form.timezone = here"
      >
        {{ here }}, as this computer
      </button>
      <FieldComplaint :saying="complaints.at('timezone')" />
    </div>
    <div class="wide" data-field>
      <FieldComplaint :saying="complaints.elsewhere()" />
      <el-button type="primary" native-type="submit">Save</el-button>
    </div>
  </form>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  min-height: 32px;
}

.line :deep(.el-select) {
  width: 240px;
}

.line :deep(.el-select.hour) {
  width: 96px;
}
</style>
