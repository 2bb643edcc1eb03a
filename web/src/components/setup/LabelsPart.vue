<script setup lang="ts">
import { ref } from 'vue'

import { api, content } from '@/api/client'
import FieldComplaint from '@/components/shell/FieldComplaint.vue'
import { useFormComplaints } from '@/composables/useFormComplaints'
import { useMailboxAnswer } from '@/composables/useMailboxAnswer'
import { usePlaces } from '@/composables/usePlaces'
import { COLOURS, type Colour } from '@/mail/colours'
import { countSaying } from '@/rules/sayings'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

const acts = useActs()
const places = usePlaces()
const mailbox = useMailbox()
const name = ref('')
const complaints = useFormComplaints({ name: 'name' })

async function add(): Promise<void> {
  const wanted = name.value.trim()
  if (!wanted) return
  const made = await complaints.attempt(async () => {
    await content(api.POST('/api/labels', { body: { name: wanted, colour: null } }))
    return undefined
  })
  if (made) name.value = ''
}

/** Keywords that other programs have put on a server's messages. */
const others = useMailboxAnswer((signal) => content(api.GET('/api/labels/elsewhere', { signal })))

async function take(label: string): Promise<void> {
  await acts.attempt(async () => {
    await content(api.POST('/api/labels', { body: { name: label, colour: null } }))
    return { saying: `“${label}” is a label; the next look at the server puts it on its mail` }
  })
}
</script>

<template>
  <p class="lead">A label stays on a message wherever it is filed; a message may bear several.</p>
  <table>
    <thead>
      <tr>
        <th>Colour</th>
        <th>Name</th>
        <th>On</th>
        <th class="does"><span class="visually-hidden">What to do</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="label in mailbox.labels" :key="label.id">
        <td class="colour">
          <el-select
            :model-value="label.colour"
            :aria-label="`Colour of ${label.name}`"
            :teleported="false"
            @update:model-value="(colour: Colour) => places.changeLabel(label, { colour })"
          >
            <template #prefix>
              <span class="swatch" :style="{ background: `var(--${label.colour})` }"></span>
            </template>
            <el-option v-for="colour in COLOURS" :key="colour" :value="colour" :label="colour">
              <span class="swatch" :style="{ background: `var(--${colour})` }"></span>
              {{ colour }}
            </el-option>
          </el-select>
        </td>
        <td>
          <el-input
            :model-value="label.name"
            :aria-label="`Name of ${label.name}`"
            @change="(text: string) => text.trim() && places.changeLabel(label, { name: text })"
          />
        </td>
        <td>
          <RouterLink class="text-button" :to="`/mail/label/${label.id}`">{{
            countSaying(label.total, 'message')
          }}</RouterLink>
        </td>
        <td class="does">
          <button
            class="text-button destructive"
            type="button"
            :aria-label="`Delete ${label.name}`"
            @click="places.deleteLabel(label)"
          >
            Delete
          </button>
        </td>
      </tr>
    </tbody>
  </table>
  <form aria-label="New label" @submit.prevent="add">
    <label for="new-label">New label</label>
    <div data-field>
      <el-input id="new-label" v-model="name" placeholder="Name; it gets the next free colour" />
      <FieldComplaint :saying="complaints.at('name') || complaints.elsewhere()" />
    </div>
    <div class="wide">
      <el-button native-type="submit" :disabled="!name.trim()">Make label</el-button>
    </div>
  </form>
  <template v-if="others?.keywords.length">
    <h2>Put on mail by other programs</h2>
    <p class="lead">Keywords on a server that are not labels here. They are left alone.</p>
    <ul aria-label="Keywords of other programs">
      <li v-for="keyword in others.keywords" :key="keyword.label" class="thumb-row">
        {{ keyword.label }}, on {{ countSaying(keyword.messages, 'message') }}
        <button
          class="text-button"
          type="button"
          :aria-label="`Make it a label: ${keyword.label}`"
          @click="take(keyword.label)"
        >
          Make it a label
        </button>
      </li>
    </ul>
  </template>
</template>

<style scoped>
.colour {
  width: 150px;
}

td {
  vertical-align: middle !important;
}

a {
  text-decoration: none;
}

ul {
  padding: 0;
  list-style: none;
}

li button {
  margin-left: 12px;
}
</style>
