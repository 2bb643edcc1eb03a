<script setup lang="ts">
/** Which rules an account's server could run by itself, and why not others: only looked at. */
import { computed, nextTick, ref, shallowRef } from 'vue'

import { api, content, type Connection, type ServerScript } from '@/api/client'
import FieldComplaint from '@/components/shell/FieldComplaint.vue'
import { useFormComplaints } from '@/composables/useFormComplaints'
import { SCRIPT_SECURITY, portFor, type Where } from '@/mail/securities'
import { countSaying } from '@/rules/sayings'

import GradeList from './GradeList.vue'
import WhereFields from './WhereFields.vue'

const props = defineProps<{ account: Connection }>()

const complaints = useFormComplaints({ host: 'server', port: 'port', security: 'security' })
const form = ref<Where>()
const field = ref<{ focus: () => void }>()
const again = ref<HTMLButtonElement>()
const found = shallowRef<ServerScript>()
const busy = ref(false)

const counts = computed(() => {
  const grades = found.value?.grades ?? []
  const there = grades.filter((each) => each.written)
  const close = there.filter((each) => each.grade === 'close').length
  return `${countSaying(there.length, 'rule')} could run there, ${String(close)} of them close`
})
const scripts = computed(() => {
  const { active, scripts: names = [] } = found.value ?? {}
  if (!names.length) return 'There is no script yet.'
  const inUse = active ? `“${active}” is in use there` : 'No script is in use there'
  const others = names.filter((name) => name !== active)
  return others.length ? `${inUse}; others: ${others.join(', ')}.` : `${inUse}.`
})

async function open(): Promise<void> {
  const host = props.account.server.replace(/:\d+$/, '')
  const security = props.account.security === 'none' ? 'none' : 'starttls'
  form.value ??= { host, port: String(portFor(SCRIPT_SECURITY, security)), security }
  await nextTick()
  field.value?.focus()
}

async function leave(): Promise<void> {
  form.value = found.value = undefined
  await nextTick()
  again.value?.focus()
}

async function look(): Promise<void> {
  const now = form.value
  if (!now) return
  busy.value = true
  found.value = undefined
  await complaints.attempt(async () => {
    const params = { path: { id: props.account.id } }
    const body = { host: now.host, port: Number(now.port), security: now.security }
    const path = '/api/connections/{id}/script/preview'
    found.value = await content(api.POST(path, { params, body }))
    return undefined
  })
  busy.value = false
}
</script>

<template>
  <div>
    <p v-if="!form" class="acts thumb-row">
      Its rules run here, while Mnemic is open.
      <button ref="again" class="text-button" type="button" @click="open">
        Which could run on the server?
      </button>
    </p>
    <form v-else :aria-label="`Where ${account.name} keeps scripts`" @submit.prevent="look">
      <WhereFields
        :id="`script-${account.id}`"
        ref="field"
        v-model="form"
        label="Server of scripts"
        :choices="SCRIPT_SECURITY"
        :complaint="complaints.at"
      />
      <div class="wide" data-field>
        <FieldComplaint :saying="complaints.elsewhere()" />
        <el-button type="primary" native-type="submit" :loading="busy">Look</el-button>
        <el-button @click="leave">Leave it</el-button>
        <span class="hint">By ManageSieve (RFC 5804). Nothing is changed there.</span>
      </div>
    </form>
    <section v-if="form && found" :aria-label="`What the server of ${account.name} could run`">
      <p role="status">{{ counts }}. {{ scripts }}</p>
      <p v-if="found.refused" class="refused" role="alert">
        The server would not take our script: {{ found.refused }}
      </p>
      <GradeList :grades="found.grades" />
    </section>
  </div>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 16px;
  margin: 2px 0;
}

.hint {
  margin-left: 12px;
}

section {
  margin-top: 10px;
}

.refused {
  color: var(--brick);
}
</style>
