<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { useFollower } from '@/composables/useFollower'
import { useRouter } from 'vue-router'

import { whichBody } from '@/api/bodies'
import { api, content, type Proposal, type Test, type Which } from '@/api/client'
import { useRehearsal } from '@/composables/useRehearsal'
import { calledBy, whenOfFacts } from '@/rules/facts'
import { countSaying } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'
import { useWorkbench } from '@/stores/workbench'

const props = defineProps<{ which: Which; count: number }>()
const mailbox = useMailbox()
const workbench = useWorkbench()
const router = useRouter()

const proposals = shallowRef<readonly Proposal[]>()
const picked = ref<ReadonlySet<number>>(new Set())

const PAUSE = 150 // milliseconds in which the selection may still grow
const { soon, failure } = useFollower(async (signal) => {
  const body = { which: whichBody(props.which) }
  const common = await content(api.POST('/api/facts/common', { body, signal }))
  if (signal.aborted) return
  proposals.value = common.proposals
  picked.value = new Set(
    common.proposals.flatMap((proposal, index) => (proposal.picked ? [index] : [])),
  )
})
watch(
  () => JSON.stringify(props.which),
  () => {
    soon(PAUSE)
  },
  { immediate: true },
)

function toggle(index: number): void {
  const next = new Set(picked.value)
  if (!next.delete(index)) next.add(index)
  picked.value = next
}

const chosen = computed(() => (proposals.value ?? []).filter((_, index) => picked.value.has(index)))
const when = computed<Test | undefined>(() => whenOfFacts(chosen.value))
const { rehearsal, running } = useRehearsal(undefined, when, () => mailbox.version)

async function makeRule(): Promise<void> {
  if (!when.value) return
  workbench.startFrom(when.value, undefined, calledBy(chosen.value))
  await router.push('/rules/new')
}
defineExpose({ makeRule })
</script>

<template>
  <section class="common" aria-label="What they have in common">
    <h2>{{ countSaying(count, 'message') }} selected: what they have in common</h2>
    <p v-if="failure" class="hint" role="alert">{{ failure }}</p>
    <p v-else-if="proposals === undefined" class="hint">Looking…</p>
    <p v-else-if="!proposals.length" class="hint">
      Nothing that a condition could tell. Select fewer, or make a rule from one of them.
    </p>
    <template v-else>
      <p class="hint">
        Each of these takes all {{ count.toLocaleString('en-GB') }}; beside it stands how many
        others it would take, too. The narrowest are picked.
      </p>
      <ul>
        <li v-for="(proposal, index) in proposals" :key="index">
          <button
            type="button"
            class="fact"
            :title="proposal.text"
            :aria-pressed="picked.has(index)"
            @click="toggle(index)"
          >
            <span class="about">{{ proposal.about }}</span>
            <span class="one-line">{{ proposal.text }}</span>
            <span v-if="picked.has(index)" aria-hidden="true">✓</span>
          </button>
          <span class="others">{{
            proposal.others ? `and ${countSaying(proposal.others, 'other')}` : 'and no other'
          }}</span>
        </li>
      </ul>
      <p class="make">
        <el-button type="primary" :disabled="!when" title="M" @click="makeRule">
          Make a rule from {{ countSaying(picked.size, 'fact') }}
        </el-button>
        <span v-if="when" role="status">
          {{
            running || !rehearsal
              ? 'counting…'
              : `takes ${countSaying(rehearsal.takes, 'message')} already here`
          }}
        </span>
      </p>
    </template>
  </section>
</template>

<style scoped>
.common {
  overflow-y: auto;
  padding: 20px 28px;
  background: var(--sheet);
}

h2 {
  font: 500 22px/30px var(--type-mail);
}

.hint,
.others,
.make span {
  color: var(--ink-soft);
}

ul {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 6px;
  margin: 14px 0 18px;
}

li,
.make {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: center;
}

.fact {
  max-width: min(640px, 100%);
  padding: 4px 10px;
}

@media (max-width: 699px) {
  .common {
    padding-inline: 14px;
  }
}
</style>
