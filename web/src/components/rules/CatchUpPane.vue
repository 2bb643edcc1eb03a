<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'

import { api, content, type CatchUpAsked, type CatchUpPreview } from '@/api/client'
import { countSaying, spokenPath } from '@/rules/sayings'
import { useCatchUps } from '@/stores/catch-ups'
import { useMailbox } from '@/stores/mailbox'

const props = defineProps<{ ruleIds: readonly number[] }>()
const emit = defineEmits<{ close: [] }>()
const mailbox = useMailbox()
const catchUps = useCatchUps()

const folder = ref<number | ''>('')
const since = ref('')
const until = ref('')
const respects = ref(true)

const rules = computed(() => mailbox.rules.filter((each) => props.ruleIds.includes(each.id)))

function day(value: string): string | null {
  return value ? new Date(`${value}T00:00:00`).toISOString() : null
}

const asked = computed<CatchUpAsked>(() => ({
  rule_ids: [...props.ruleIds],
  which: folder.value === '' ? null : { folder: folder.value, leave_out: [] },
  since: day(since.value),
  until: day(until.value),
  respects: respects.value,
}))

const preview = shallowRef<CatchUpPreview>()
const failure = ref('')
let newest = 0
watch(
  [asked, () => mailbox.version],
  async () => {
    const mine = (newest += 1)
    try {
      const found = await content(
        api.POST('/api/catch-ups/preview', { body: asked.value as never }),
      )
      if (mine !== newest) return
      preview.value = found
      failure.value = ''
    } catch (error) {
      if (mine === newest) failure.value = error instanceof Error ? error.message : String(error)
    }
  },
  { immediate: true },
)

const changed = computed(
  () => (preview.value?.report.taken ?? 0) - (preview.value?.report.unchanged ?? 0),
)
const places = computed(() => Object.entries(preview.value?.report.places ?? {}))
const shares = computed(() =>
  rules.value.map((each) => ({
    name: each.rule.name,
    taken: 0,
    overruled: 0,
    ...preview.value?.report.by_rule[String(each.id)],
  })),
)

async function run(): Promise<void> {
  emit('close')
  await catchUps.start(asked.value)
}
</script>

<template>
  <section class="catch-up" aria-label="Catch-up">
    <p>
      <button class="text-button" type="button" @click="emit('close')">← Rehearsal</button>
    </p>
    <h2>
      Catch-up with {{ rules.length === 1 ? `“${rules[0]?.rule.name}”` : `${rules.length} rules` }}
    </h2>
    <form @submit.prevent="run">
      <label for="catch-up-folder">Mail in</label>
      <select id="catch-up-folder" v-model="folder">
        <option value="">all folders</option>
        <option v-for="each in mailbox.folders" :key="each.id" :value="each.id">
          {{ spokenPath(each.path) }}
        </option>
      </select>
      <label for="catch-up-since">Received from</label>
      <input id="catch-up-since" v-model="since" type="date" />
      <label for="catch-up-until">and before</label>
      <input id="catch-up-until" v-model="until" type="date" />
      <el-checkbox v-model="respects" class="wide"
        >Leave alone what I changed after a rule acted on it</el-checkbox
      >
    </form>
    <p v-if="failure" class="hint" role="alert">{{ failure }}</p>
    <template v-else-if="preview">
      <p class="counts" role="status">
        Of {{ countSaying(preview.examined, 'message') }},
        {{ countSaying(preview.report.taken, 'is taken', 'are taken') }}:
        <b>{{ countSaying(changed, 'changes', 'change') }}</b>,
        {{ preview.report.unchanged.toLocaleString('en-GB') }} in order already<template
          v-if="preview.report.respected"
          >, {{ preview.report.respected }} left as you put them</template
        >. Nothing has happened yet.
      </p>
      <ul aria-label="What will happen">
        <li v-for="[path, count] in places" :key="path">
          {{ count.toLocaleString('en-GB') }} to {{ spokenPath(path) }}
        </li>
        <li v-if="preview.report.labelled">{{ preview.report.labelled }} labelled</li>
        <li v-if="preview.report.marked">{{ preview.report.marked }} marked</li>
      </ul>
      <ul v-if="rules.length > 1" class="shares" aria-label="By rule">
        <li v-for="each in shares" :key="each.name">
          <b>{{ each.name }}</b> takes {{ each.taken.toLocaleString('en-GB')
          }}<template v-if="each.overruled"
            >, overruled for {{ each.overruled.toLocaleString('en-GB') }}</template
          >
        </li>
      </ul>
      <p class="hint">Nothing is lost: undo any time in the next 30 days.</p>
      <el-button type="primary" :disabled="changed === 0 || !!catchUps.job" @click="run"
        >Catch up {{ changed.toLocaleString('en-GB') }}</el-button
      >
    </template>
  </section>
</template>

<style scoped>
.catch-up {
  display: grid;
  gap: 12px;
  align-content: start;
  overflow-y: auto;
  padding: 12px 16px 24px;
}

h2 {
  font: 500 20px/26px var(--type-mail);
  overflow-wrap: anywhere;
}

form {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr);
  gap: 8px;
  align-items: center;
}

select,
input[type='date'] {
  height: 32px;
  padding: 0 8px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  color: var(--ink);
  font: inherit;
}

.wide {
  grid-column: 1 / -1;
}

.hint,
label {
  color: var(--ink-soft);
}

ul {
  display: grid;
  gap: 3px;
  padding-left: 12px;
}

.catch-up > .el-button {
  justify-self: start;
}
</style>
