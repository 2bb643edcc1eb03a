<script setup lang="ts">
/** Which rules an account's server could run, how near, and why not others; then, handing over. */
import { computed, ref, shallowRef } from 'vue'

import { api, content, type Connection, type RulesWhere, type ServerScript } from '@/api/client'
import FieldComplaint from '@/components/shell/FieldComplaint.vue'
import { useFormComplaints } from '@/composables/useFormComplaints'
import { SCRIPT_SECURITY, portFor, type Where } from '@/mail/securities'
import { countSaying } from '@/rules/sayings'

import GradeList from './GradeList.vue'
import WhereFields from './WhereFields.vue'

const props = defineProps<{
  account: Connection
  /** Where its scripts were kept last. */
  place: RulesWhere['server'] | undefined
}>()
const emit = defineEmits<{ leave: [] }>()

const complaints = useFormComplaints({ host: 'server', port: 'port', security: 'security' })

function usual(): Where {
  if (props.place) {
    const { host, port, security } = props.place
    return { host, port: String(port), security: security as Where['security'] }
  }
  const host = props.account.server.replace(/:\d+$/, '')
  const security = props.account.security === 'none' ? 'none' : 'starttls'
  return { host, port: String(portFor(SCRIPT_SECURITY, security)), security }
}

const where = ref(usual())
const field = ref<{ focus: () => void }>()
const serverScript = shallowRef<ServerScript>()
const busy = ref(false)

const carried = computed(() => serverScript.value?.grades.filter((graded) => graded.written) ?? [])
const counts = computed(() => {
  const close = carried.value.filter((graded) => graded.grade === 'close').length
  const stay = serverScript.value?.grades.filter((graded) => graded.grade === 'no').length ?? 0
  const there = `${countSaying(carried.value.length, 'rule')} can run there, ${String(close)} of them close`
  if (!stay) return `${there}.`
  const staying = stay === 1 ? '1 stays here and acts' : `${String(stay)} stay here and act`
  return `${there}; ${staying} after it, on what is in the inbox.`
})
const scripts = computed(() => {
  const { active, scripts: names = [] } = serverScript.value ?? {}
  if (!names.length) return 'There is no script there yet.'
  if (!active) return `No script runs there; there are: ${names.join(', ')}.`
  return `“${active}” runs there now: it is kept here and there, and comes back when rules run here again.`
})

function asked() {
  const { host, port, security } = where.value
  return {
    params: { path: { id: props.account.id } },
    body: { host, port: Number(port), security },
  }
}

async function look(): Promise<void> {
  busy.value = true
  serverScript.value = undefined
  await complaints.attempt(async () => {
    serverScript.value = await content(api.POST('/api/connections/{id}/script/preview', asked()))
    return undefined
  })
  busy.value = false
}

async function handOver(): Promise<void> {
  busy.value = true
  const done = await complaints.attempt(async () => {
    await content(api.PUT('/api/connections/{id}/script', asked()))
    return { saying: `The server runs the rules of “${props.account.name}”` }
  })
  busy.value = false
  if (done) emit('leave')
}

defineExpose({ focus: () => field.value?.focus() })
</script>

<template>
  <form :aria-label="`Where ${account.name} keeps scripts`" @submit.prevent="look">
    <WhereFields
      :id="`script-${account.id}`"
      ref="field"
      v-model="where"
      label="Server of scripts"
      :choices="SCRIPT_SECURITY"
      :complaint="complaints.at"
    />
    <div class="wide" data-field>
      <FieldComplaint :saying="complaints.elsewhere()" />
      <el-button :type="serverScript ? undefined : 'primary'" native-type="submit" :loading="busy">
        Look
      </el-button>
      <el-button @click="emit('leave')">Leave it</el-button>
      <span class="hint">By ManageSieve (RFC 5804). Looking changes nothing there.</span>
    </div>
  </form>
  <section v-if="serverScript" :aria-label="`What the server of ${account.name} could run`">
    <p role="status">{{ counts }} {{ scripts }}</p>
    <p v-if="serverScript.refused" class="refused" role="alert">
      The server would not take our script: {{ serverScript.refused }}
    </p>
    <p v-if="!account.acting">Rules may not act in this account yet. Let them act first.</p>
    <p v-else-if="carried.length && !serverScript.refused" class="acts">
      <el-button type="primary" :loading="busy" @click="handOver">
        Hand {{ countSaying(carried.length, 'rule') }} over
      </el-button>
      <span class="hint">
        They run there from now on, whether Mnemic is open or not, and not here as well.
      </span>
    </p>
    <GradeList :grades="serverScript.grades" where />
  </section>
</template>

<style scoped>
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
