<script setup lang="ts">
import { computed, ref } from 'vue'

import { api, content, RefusedError, type Contact, type ProblemDetails } from '@/api/client'
import FieldComplaint from '@/components/shell/FieldComplaint.vue'
import { useFormComplaints } from '@/composables/useFormComplaints'
import { useMailboxAnswer } from '@/composables/useMailboxAnswer'
import { countSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'

const acts = useActs()
const complaints = useFormComplaints({ name: 'name', addresses: 'address' })
const listed = useMailboxAnswer((signal) => content(api.GET('/api/contacts', { signal })))
const contacts = computed(() => listed.value?.contacts ?? [])
const form = ref<{ id: number; name: string; addresses: string }>()
const sought = ref('')

const shown = computed(() => {
  const text = sought.value.trim().toLowerCase()
  return contacts.value.filter((contact) =>
    `${contact.name} ${contact.addresses.join(' ')}`.toLowerCase().includes(text),
  )
})

function edit(contact?: Contact): void {
  form.value = {
    id: contact?.id ?? 0,
    name: contact?.name ?? '',
    addresses: contact?.addresses.join('\n') ?? '',
  }
}

async function save(): Promise<void> {
  const now = form.value
  if (!now) return
  const addresses = now.addresses.split(/[\s,;]+/).filter(Boolean)
  const body = { name: now.name.trim(), addresses }
  const done = await complaints.attempt(async () => {
    await content(
      now.id
        ? api.PUT('/api/contacts/{id}', { params: { path: { id: now.id } }, body })
        : api.POST('/api/contacts', { body }),
    )
    return { saying: `${body.name} saved` }
  })
  if (done) form.value = undefined
}

async function remove(contact: Contact): Promise<void> {
  await acts.attempt(async () => {
    await content(api.DELETE('/api/contacts/{id}', { params: { path: { id: contact.id } } }))
    return { saying: `${contact.name} is no longer in the address book` }
  })
}

async function take(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file) return
  await acts.attempt(async () => {
    const answer = await fetch('/api/contacts.vcf', {
      method: 'POST',
      headers: { 'Content-Type': 'text/vcard' },
      body: file,
    })
    const answered: unknown = await answer.json()
    if (!answer.ok) throw new RefusedError(answered as ProblemDetails)
    const { added, known } = answered as { added: number; known: number }
    return { saying: `${countSaying(added, 'contact')} added, ${known} were here already` }
  })
}
</script>

<template>
  <p class="lead">
    Rules can tell who is known to you from who is not. Contacts come from vCard files (3.0 and 4.0)
    and go back into them whole: what Mnemic has no use for is kept.
  </p>
  <p class="files">
    <label class="text-button">
      Take in a vCard file…
      <input class="visually-hidden" type="file" accept=".vcf,text/vcard" @change="take" />
    </label>
    <a class="text-button" href="/api/contacts.vcf" download="contacts.vcf">Save all as vCard</a>
    <button class="text-button" type="button" @click="edit()">+ contact</button>
    <el-input
      v-model="sought"
      class="seek"
      :placeholder="`Among ${countSaying(contacts.length, 'contact')}`"
      aria-label="Look for a contact"
    />
  </p>
  <form v-if="form" aria-label="Contact" @submit.prevent="save">
    <label for="contact-name">Name</label>
    <div data-field>
      <el-input id="contact-name" v-model="form.name" />
      <FieldComplaint :saying="complaints.at('name')" />
    </div>
    <label for="contact-addresses">Addresses</label>
    <div data-field>
      <el-input
        id="contact-addresses"
        v-model="form.addresses"
        type="textarea"
        :autosize="{ minRows: 2, maxRows: 8 }"
        placeholder="One on each line"
      />
      <FieldComplaint :saying="complaints.at('addresses')" />
    </div>
    <div class="wide" data-field>
      <FieldComplaint :saying="complaints.elsewhere()" />
      <el-button type="primary" native-type="submit">Save contact</el-button>
      <el-button @click="form = undefined">Leave it</el-button>
    </div>
  </form>
  <table>
    <thead>
      <tr>
        <th>Name</th>
        <th>Addresses</th>
        <th class="does"><span class="visually-hidden">What to do</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="contact in shown" :key="contact.id">
        <td>
          <b>{{ contact.name }}</b>
        </td>
        <td>
          <div v-for="address in contact.addresses" :key="address">{{ address }}</div>
        </td>
        <td class="does">
          <button
            class="text-button"
            type="button"
            :aria-label="`Change ${contact.name}`"
            @click="edit(contact)"
          >
            Change
          </button>
          <button
            class="text-button destructive"
            type="button"
            :aria-label="`Remove ${contact.name}`"
            @click="remove(contact)"
          >
            Remove
          </button>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.files {
  display: flex;
  flex-wrap: wrap;
  gap: 20px;
  align-items: center;
  margin-bottom: 12px;
}

.files a {
  text-decoration: none;
}

.files label:focus-within {
  outline: 2px solid var(--spruce);
}

.seek {
  width: 220px;
  margin-left: auto;
}
</style>
