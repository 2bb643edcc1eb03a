<script setup lang="ts">
/** Where a server of an account is: its name, security and port, as rows of a form. */
import { ref } from 'vue'

import FieldComplaint from '@/components/shell/FieldComplaint.vue'
import { portFor, type SecurityOffer, type Where } from '@/mail/securities'

import SecurityChoice from './SecurityChoice.vue'

const props = defineProps<{
  /** What the ids of its fields begin with. */
  id: string
  label: string
  choices: readonly SecurityOffer[]
  complaint: (field: string) => string
}>()
const where = defineModel<Where>({ required: true })

const field = ref<{ focus: () => void }>()
defineExpose({ focus: () => field.value?.focus() })
</script>

<template>
  <label :for="`${id}-host`">{{ label }}</label>
  <div data-field>
    <el-input :id="`${id}-host`" ref="field" v-model="where.host" />
    <FieldComplaint :saying="complaint('host')" />
  </div>
  <label :for="`${id}-security`">Security</label>
  <div data-field>
    <SecurityChoice
      :id="`${id}-security`"
      :value="where.security"
      :choices="choices"
      @change="
        (security) =>
          (where = { ...where, security, port: String(portFor(props.choices, security)) })
      "
    />
    <FieldComplaint :saying="complaint('security')" />
  </div>
  <label :for="`${id}-port`">Port</label>
  <div data-field>
    <el-input :id="`${id}-port`" v-model="where.port" inputmode="numeric" />
    <FieldComplaint :saying="complaint('port')" />
  </div>
</template>
