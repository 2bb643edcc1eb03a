<script setup lang="ts">
import { computed, ref } from 'vue'

import { api, content, type Account } from '@/api/client'
import FieldComplaint from '@/components/shell/FieldComplaint.vue'
import { useFormComplaints } from '@/composables/useFormComplaints'
import { useMailboxAnswer } from '@/composables/useMailboxAnswer'
import { useActs } from '@/stores/acts'

const acts = useActs()
const complaints = useFormComplaints({
  name: 'name',
  address: 'address',
  aliases: 'alias',
})
const listed = useMailboxAnswer((signal) => content(api.GET('/api/accounts', { signal })))
const accounts = computed(() => listed.value?.accounts ?? [])
const form = ref<{ id: number; name: string; address: string; aliases: string }>()

function edit(account?: Account): void {
  form.value = {
    id: account?.id ?? 0,
    name: account?.name ?? '',
    address: account?.address ?? '',
    aliases: account?.aliases.join('\n') ?? '',
  }
}

async function save(): Promise<void> {
  const now = form.value
  if (!now) return
  const aliases = now.aliases.split(/[\s,;]+/).filter(Boolean)
  const body = { name: now.name.trim(), address: now.address.trim(), aliases }
  const done = await complaints.attempt(async () => {
    await content(
      now.id
        ? api.PUT('/api/accounts/{id}', { params: { path: { id: now.id } }, body })
        : api.POST('/api/accounts', { body }),
    )
    return { saying: `“${body.name}” saved` }
  })
  if (done) form.value = undefined
}

async function remove(account: Account): Promise<void> {
  await acts.attempt(async () => {
    await content(api.DELETE('/api/accounts/{id}', { params: { path: { id: account.id } } }))
    return { saying: `“${account.name}” is forgotten; its mail stays` }
  })
}
</script>

<template>
  <p class="lead">
    The addresses that are yours. Rules know by them which account mail came to, whether it was sent
    only to you, and what you sent yourself. An address with a +tag counts as the one without.
  </p>
  <table>
    <thead>
      <tr>
        <th>Account</th>
        <th>Address</th>
        <th>Aliases</th>
        <th class="does"><span class="visually-hidden">What to do</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="account in accounts" :key="account.id">
        <td>
          <b>{{ account.name }}</b>
        </td>
        <td>{{ account.address }}</td>
        <td>
          <div v-for="alias in account.aliases" :key="alias">{{ alias }}</div>
        </td>
        <td class="does">
          <button
            class="text-button"
            type="button"
            :aria-label="`Change ${account.name}`"
            @click="edit(account)"
          >
            Change
          </button>
          <button
            class="text-button destructive"
            type="button"
            :aria-label="`Forget ${account.name}`"
            @click="remove(account)"
          >
            Forget
          </button>
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="!form">
    <button class="text-button" type="button" @click="edit()">+ account</button>
  </p>
  <form v-else aria-label="Account" @submit.prevent="save">
    <label for="account-name">Called</label>
    <div data-field>
      <el-input id="account-name" v-model="form.name" placeholder="Office" />
      <FieldComplaint :saying="complaints.at('name')" />
    </div>
    <label for="account-address">Address</label>
    <div data-field>
      <el-input id="account-address" v-model="form.address" placeholder="name@domain" />
      <FieldComplaint :saying="complaints.at('address')" />
    </div>
    <label for="account-aliases">Aliases</label>
    <div data-field>
      <el-input
        id="account-aliases"
        v-model="form.aliases"
        type="textarea"
        :autosize="{ minRows: 3, maxRows: 12 }"
        placeholder="One on each line"
      />
      <FieldComplaint :saying="complaints.at('aliases')" />
    </div>
    <div class="wide" data-field>
      <FieldComplaint :saying="complaints.elsewhere()" />
      <el-button type="primary" native-type="submit">Save account</el-button>
      <el-button @click="form = undefined">Leave it</el-button>
    </div>
  </form>
</template>
