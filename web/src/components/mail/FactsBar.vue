<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'

import type { OpenMessage, Test } from '@/api/client'
import { useRehearsal } from '@/composables/useRehearsal'
import { useHandheld } from '@/composables/useRoom'
import { calledBy, whenOfFacts } from '@/rules/facts'
import { countSaying } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'
import { useWorkbench } from '@/stores/workbench'

const props = defineProps<{ message: OpenMessage }>()
const mailbox = useMailbox()
const workbench = useWorkbench()
const router = useRouter()

const picked = ref<readonly number[]>([])
/** In the hand the message comes first: its facts are spread out when they are asked for. */
const handheld = useHandheld()
const spread = ref(false)
watch(
  () => props.message.id,
  () => {
    picked.value = []
    spread.value = false
  },
)

const facts = computed(() => props.message.facts.map((fact, index) => ({ ...fact, index })))
const pieces = computed(() => facts.value.filter((fact) => fact.about !== 'subject'))
const words = computed(() => facts.value.filter((fact) => fact.about === 'subject'))

function toggle(index: number): void {
  picked.value = picked.value.includes(index)
    ? picked.value.filter((key) => key !== index)
    : [...picked.value, index].sort((a, b) => a - b)
}

const chosen = computed(() => facts.value.filter((fact) => picked.value.includes(fact.index)))
const when = computed<Test | undefined>(() => whenOfFacts(chosen.value))
const { rehearsal, running } = useRehearsal(undefined, when, () => mailbox.version)

/** Without a pick, the sender is what a rule begins with. */
async function makeRule(): Promise<void> {
  const from = chosen.value.length ? chosen.value : facts.value.slice(0, 1)
  const begun = whenOfFacts(from)
  if (!begun) return
  workbench.startFrom(begun, undefined, calledBy(from))
  await router.push('/rules/new')
}

defineExpose({ makeRule })
</script>

<template>
  <section class="facts" aria-label="Facts">
    <p v-if="handheld && !spread" class="make">
      <el-button aria-expanded="false" @click="spread = true">Make a rule…</el-button>
      <span>from its facts</span>
    </p>
    <template v-else>
      <p class="pieces">
        <button
          v-for="fact in pieces"
          :key="fact.index"
          class="fact"
          type="button"
          :aria-pressed="picked.includes(fact.index)"
          :title="fact.text"
          @click="toggle(fact.index)"
        >
          <span class="about">{{ fact.about }}</span>
          <span class="text one-line">{{ fact.text }}</span>
          <span v-if="picked.includes(fact.index)" aria-hidden="true">✓</span>
        </button>
      </p>
      <p v-if="words.length" class="words">
        <span class="about">subject</span>
        <button
          v-for="fact in words"
          :key="fact.index"
          class="fact word"
          type="button"
          :aria-pressed="picked.includes(fact.index)"
          @click="toggle(fact.index)"
        >
          {{ fact.text }}
        </button>
      </p>
      <p class="make">
        <el-button :type="picked.length ? 'primary' : 'default'" title="M" @click="makeRule">
          {{
            picked.length ? `Make a rule from ${countSaying(picked.length, 'fact')}` : 'Make a rule'
          }}
        </el-button>
        <!-- A count of other facts than those picked would mislead: it waits for its own. -->
        <span v-if="picked.length" role="status">
          {{
            running || !rehearsal
              ? 'counting…'
              : `takes ${countSaying(rehearsal.takes, 'message')} already here`
          }}
        </span>
        <span v-else>Pick the facts that tell this kind of mail.</span>
      </p>
    </template>
  </section>
</template>

<style scoped>
.facts {
  display: grid;
  gap: 8px;
  padding: 10px 28px 12px;
  border-bottom: 1px solid var(--line-soft);
}

.pieces,
.words,
.make {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}

.about,
.make span {
  color: var(--ink-soft);
}

.make {
  gap: 12px;
}

.word {
  padding: 0 6px;
  border-style: dashed;
  border-radius: 4px;
  font: 15px/22px var(--type-mail);
}

@media (max-width: 699px) {
  .facts {
    padding-inline: 14px;
  }
}
</style>
