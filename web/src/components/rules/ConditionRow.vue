<script setup lang="ts">
import { computed, ref } from 'vue'

import {
  ALWAYS,
  ASPECT_GROUPS,
  aspectOf,
  hasCase,
  testLabel,
  type TestName,
} from '@/rules/conditions'
import { valuesOf, type DraftCondition } from '@/rules/draft'
import { testSaying } from '@/rules/test-saying'
import { textWidth } from '@/text/width'

import FieldComplaint from '@/components/shell/FieldComplaint.vue'

import ValueInput from './ValueInput.vue'

const condition = defineModel<DraftCondition>({ required: true })
const props = defineProps<{
  number: number
  name: string
  alone: boolean
  takes: string | undefined
  complaint: string
}>()
const emit = defineEmits<{ remove: []; wrap: []; move: [by: -1 | 1] }>()

const aspect = computed(() => aspectOf(condition.value.aspect))
const called = computed(() => `${props.name}Condition ${props.number}`)

/** In place: values and what is being typed change together, before anything is drawn again. */
function change(next: Partial<DraftCondition>): void {
  Object.assign(condition.value, next)
}

/** As wide as what is chosen, and no wider: the values get the rest of the line. */
function width(label: string): { width: string } {
  return { width: `${Math.ceil(textWidth(label)) + AROUND}px` }
}
const AROUND = 28 // pixels of padding and border

/** A long value is read whole: where it finds no room beside, it gets a line of its own. */
const wanted = computed(() => {
  const widest = Math.max(0, ...condition.value.values.map(textWidth))
  return `${Math.ceil(Math.max(widest + BESIDE, 104))}px`
})
const BESIDE = 72 // pixels of a value's padding, its button, and the room to type another

/** Something else keeps what was typed, and with it the test where it has it too. */
function choose(key: string): void {
  if (key === ALWAYS) {
    change({ kept: { always: true }, values: [], typed: '' })
    return
  }
  if (condition.value.kept) delete condition.value.kept
  const next = aspectOf(key)
  const begun = valuesOf(condition.value).length > 0
  const kept = begun && next.tests.includes(condition.value.test)
  const test = kept ? condition.value.test : (next.tests[0] ?? condition.value.test)
  const same = next.values === 'text' && aspect.value.values === 'text'
  change({ aspect: key, test, ...(same ? {} : { values: [], typed: '' }) })
}

/** What may be chosen is made when a list is first opened: a rule may have many conditions. */
const offers = ref(false)
const offersTests = ref(false)

const messages = computed(() => (props.takes === '1' ? 'message' : 'messages'))
const takesAll = computed(() => condition.value.kept && 'always' in condition.value.kept)

type More = 'not' | 'case' | 'wrap'

function more(command: More): void {
  if (command === 'not') change({ negated: !condition.value.negated })
  else if (command === 'case') change({ exact: !condition.value.exact })
  else emit('wrap')
}
</script>

<template>
  <li class="condition" data-field=".value" :class="{ negated: condition.negated }">
    <button
      class="grip"
      type="button"
      :data-grip="condition.id"
      :aria-label="`Move ${called.toLowerCase()}: Alt and arrows`"
      title="Drag, or Alt+Up and Alt+Down; into a bracket, too"
      @keydown.alt.up.prevent="emit('move', -1)"
      @keydown.alt.down.prevent="emit('move', 1)"
    >
      ⠿
    </button>
    <div class="pieces">
      <b v-if="condition.negated" class="not">not</b>
      <template v-if="condition.kept">
        <span class="kept">{{ testSaying(condition.kept) }}</span>
        <button v-if="takesAll" class="text-button" type="button" @click="choose('from')">
          only some…
        </button>
      </template>
      <template v-else>
        <el-select
          class="piece"
          suffix-icon=""
          filterable
          :style="width(aspect.label)"
          :fit-input-width="false"
          :model-value="condition.aspect"
          :aria-label="`${called}: what is looked at`"
          :teleported="false"
          @focus="offers = true"
          @visible-change="offers = true"
          @update:model-value="choose"
        >
          <template #label>{{ aspect.label }}</template>
          <template v-if="offers">
            <el-option-group v-for="group in ASPECT_GROUPS" :key="group.label" :label="group.label">
              <el-option
                v-for="offered in group.aspects"
                :key="offered.key"
                :value="offered.key"
                :label="offered.label"
              />
            </el-option-group>
            <el-option v-if="alone" :value="ALWAYS" label="Every message" />
          </template>
        </el-select>
        <el-input
          v-if="aspect.field === 'header'"
          class="header-name"
          :model-value="condition.header"
          placeholder="its name"
          :aria-label="`${called}: name of the header field`"
          @update:model-value="(header: string) => change({ header })"
        />
        <el-select
          v-if="aspect.tests.length > 1"
          class="piece"
          suffix-icon=""
          :style="width(testLabel(condition.test, aspect.values))"
          :fit-input-width="false"
          :model-value="condition.test"
          :aria-label="`${called}: test`"
          :teleported="false"
          @focus="offersTests = true"
          @visible-change="offersTests = true"
          @update:model-value="(test: TestName) => change({ test })"
        >
          <template #label>{{ testLabel(condition.test, aspect.values) }}</template>
          <template v-if="offersTests">
            <el-option
              v-for="test in aspect.tests"
              :key="test"
              :value="test"
              :label="testLabel(test, aspect.values)"
            />
          </template>
        </el-select>
        <ValueInput
          v-if="condition.test !== 'exists'"
          class="value"
          :style="{ '--wanted': wanted }"
          :values="condition.values"
          :typed="condition.typed"
          :aspect="aspect"
          :test="condition.test"
          :name="`${called}: ${aspect.label} ${testLabel(condition.test, aspect.values)}`"
          @update:values="(values) => change({ values })"
          @update:typed="(typed) => change({ typed })"
        />
        <span v-else class="value"></span>
        <span
          v-if="condition.exact && hasCase(aspect, condition.test)"
          class="badge"
          title="Case counts"
          >Aa</span
        >
      </template>
    </div>
    <span class="end">
      <span class="takes" :title="takes === undefined ? '' : `${takes} ${messages} here by itself`">
        {{ takes ?? ''
        }}<span v-if="takes !== undefined" class="visually-hidden"> {{ messages }} by itself</span>
      </span>
      <el-dropdown :persistent="false" trigger="click" :show-arrow="false" @command="more">
        <button class="small" type="button" :aria-label="`More for ${called}`">⋯</button>
        <template #dropdown>
          <el-dropdown-menu>
            <el-dropdown-item command="not">{{
              condition.negated ? 'Take “not” off' : 'Not: the other way round'
            }}</el-dropdown-item>
            <el-dropdown-item
              v-if="!condition.kept && hasCase(aspect, condition.test)"
              command="case"
              >{{ condition.exact ? 'Case does not matter' : 'Case counts' }}</el-dropdown-item
            >
            <el-dropdown-item command="wrap">Put it in a bracket</el-dropdown-item>
          </el-dropdown-menu>
        </template>
      </el-dropdown>
      <button
        class="small remove"
        type="button"
        :disabled="alone"
        :aria-label="`Remove ${called.toLowerCase()}`"
        title="Remove this condition"
        @click="emit('remove')"
      >
        ×
      </button>
    </span>
    <FieldComplaint class="complaint" :saying="complaint" />
  </li>
</template>

<style scoped>
.condition:hover > .grip {
  opacity: 1;
}

/* The pieces wrap among themselves: what it takes and its commands keep their column. */
.condition {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr) auto;
  gap: 4px;
  align-items: start;
}

.pieces {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: flex-start;
  min-width: 0;
}

.piece,
.not {
  flex: none;
}

.not {
  line-height: 32px;
  color: var(--brick);
}

.piece :deep(.el-select__wrapper) {
  padding: 4px 8px;
  background: var(--ground);
}

.header-name {
  width: 110px;
}

.kept {
  flex: 1;
  min-width: 0;
  padding: 5px 8px;
  border: 1px dashed var(--line);
  border-radius: var(--radius);
  overflow-wrap: anywhere;
}

.value {
  flex: 1 1 var(--wanted, 104px);
  min-width: 0;
}

.badge {
  padding: 0 4px;
  border: 1px solid var(--line);
  border-radius: 4px;
  font-size: 12px;
  line-height: 20px;
  margin-top: 6px;
}

.end {
  display: flex;
}

.takes {
  min-width: 28px;
  line-height: 32px;
  text-align: right;
  color: var(--ink-soft);
}

.small {
  width: 24px;
  padding: 0;
  border: 0;
  background: none;
  font-size: 16px;
  line-height: 30px;
  color: var(--ink-soft);
  border-radius: var(--radius);
  cursor: pointer;
}

.small:hover:enabled {
  background: var(--spruce-wash);
}

.remove:hover:enabled {
  background: var(--brick-wash);
  color: var(--brick);
}

.small:disabled {
  visibility: hidden;
}

.complaint {
  grid-column: 2 / -1;
}

/* A value gets a line of its own, as wide as the hand holds it. */
@media (max-width: 699px) {
  .value {
    flex-basis: 100%;
  }

  .small {
    width: 32px;
    line-height: 32px;
  }
}
</style>
