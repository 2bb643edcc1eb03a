<script setup lang="ts">
/** Whether an account's forwards and answers leave by its submission server, and which that is. */
import { nextTick, ref } from 'vue'

import { api, content, type Connection } from '@/api/client'
import FieldComplaint from '@/components/shell/FieldComplaint.vue'
import { useFormComplaints } from '@/composables/useFormComplaints'
import { SUBMISSION_SECURITY, type Security, type Where } from '@/mail/securities'

import WhereFields from './WhereFields.vue'

const props = defineProps<{ account: Connection }>()

const complaints = useFormComplaints({ host: 'server', port: 'port', security: 'security' })
const form = ref<Where>()
const field = ref<{ focus: () => void }>()
const again = ref<HTMLButtonElement>()
const busy = ref(false)

async function open(): Promise<void> {
  const { host, port, security } = props.account.submission ?? {
    host: props.account.server.replace(/:\d+$/, ''),
    port: 587,
    security: props.account.security === 'none' ? 'none' : 'starttls',
  }
  form.value = { host, port: String(port), security: security as Security }
  await nextTick()
  field.value?.focus()
}

async function put(on: boolean): Promise<void> {
  const now = form.value ?? props.account.submission
  if (!now) return
  busy.value = true
  const done = await complaints.attempt(async () => {
    const params = { path: { id: props.account.id } }
    const body = { host: now.host, port: Number(now.port), security: now.security as Security, on }
    await content(api.PUT('/api/connections/{id}/submission', { params, body }))
    const saying = on
      ? `What rules forward and answer in “${props.account.name}” leaves by ${now.host}`
      : `What rules forward and answer in “${props.account.name}” is kept here`
    return { saying }
  })
  busy.value = false
  if (!done) return
  form.value = undefined
  await nextTick()
  again.value?.focus()
}
</script>

<template>
  <div class="sending">
    <p v-if="!form">
      <template v-if="account.submission?.on">
        Forwards and answers leave by {{ account.submission.host }}:{{ account.submission.port }}.
      </template>
      <template v-else>Forwards and answers are kept here, and never leave.</template>
    </p>
    <p v-if="!form" class="acts thumb-row">
      <button ref="again" class="text-button" type="button" @click="open">
        {{ account.submission?.on ? 'Change' : 'Let them leave' }}
      </button>
      <button
        v-if="account.submission?.on"
        class="text-button"
        type="button"
        :disabled="busy"
        @click="put(false)"
      >
        Keep them here
      </button>
    </p>
    <form v-else :aria-label="`Where ${account.name} sends`" @submit.prevent="put(true)">
      <WhereFields
        :id="`sends-${account.id}`"
        ref="field"
        v-model="form"
        label="Sends by"
        :choices="SUBMISSION_SECURITY"
        :complaint="complaints.at"
      />
      <div class="wide" data-field>
        <FieldComplaint :saying="complaints.elsewhere()" />
        <el-button type="primary" native-type="submit" :loading="busy">Try and switch on</el-button>
        <el-button @click="form = undefined">Leave it</el-button>
        <span class="hint">User name and password are those of its mail.</span>
      </div>
    </form>
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  margin: 2px 0;
}

.hint {
  margin-left: 12px;
}
</style>
