<script setup lang="ts">
import { computed, ref } from 'vue'

import { useClosingList } from '@/composables/useClosingList'
import { spokenPath } from '@/rules/sayings'
import { useMailbox } from '@/stores/mailbox'

import ChosenTag from './ChosenTag.vue'

/** A folder or label picked from those there are, or a new one that is typed. */
const props = defineProps<{
  kind: 'folder' | 'label'
  name: string
  placeholder: string
  id?: string
  disabled?: boolean
  clearable?: boolean
}>()
const picked = defineModel<string | string[]>({ required: true })
const mailbox = useMailbox()

const several = computed(() => Array.isArray(picked.value))
const typed = ref('')

interface Option {
  value: string
  label: string
  colour?: string
}
const there = computed<Option[]>(() =>
  props.kind === 'folder'
    ? mailbox.paths.map(({ path }) => ({ value: path, label: spokenPath(path) }))
    : mailbox.labels.map(({ name, colour }) => ({ value: name, label: name, colour })),
)
/** What is typed, as a path of the rule document where it is one. */
const fresh = computed(() =>
  props.kind === 'label'
    ? typed.value.trim()
    : typed.value
        .split('/')
        .map((piece) => piece.trim())
        .join('/'),
)
function isLike(one: string, other: string): boolean {
  return one.toLowerCase() === other.toLowerCase()
}
const places = computed(() =>
  there.value.filter((place) => place.value.toLowerCase().includes(fresh.value.toLowerCase())),
)
const isNew = computed(
  () => fresh.value !== '' && !there.value.some((place) => isLike(place.value, fresh.value)),
)
/** New ones that were picked stand in the list, too, so that they have their name. */
const made = computed(() => {
  const chosen = Array.isArray(picked.value) ? picked.value : [picked.value]
  return chosen.filter((place) => place && !there.value.some((known) => isLike(known.value, place)))
})
const noun = computed(() => (props.kind === 'folder' ? 'folder' : 'label'))

const close = useClosingList('select')
function take(value: string | string[]): void {
  picked.value = value
  typed.value = ''
  if (several.value) close()
}
</script>

<template>
  <el-select
    :id="id"
    ref="select"
    :model-value="picked"
    :multiple="several"
    filterable
    default-first-option
    :filter-method="(text: string) => (typed = text)"
    :clearable="clearable"
    :value-on-clear="''"
    :placeholder="placeholder"
    :disabled="disabled"
    :aria-label="name"
    :reserve-keyword="false"
    :teleported="false"
    :no-data-text="`Type the name of a new ${noun}`"
    @update:model-value="take"
  >
    <template #tag="{ data, deleteTag }">
      <ChosenTag
        v-for="option in data"
        :key="String(option.value)"
        :name="String(option.currentLabel)"
        @drop="(event) => deleteTag(event, option)"
      />
    </template>
    <el-option v-for="item in places" :key="item.value" :value="item.value" :label="item.label">
      <template v-if="item.colour">
        <span class="swatch" :style="{ background: `var(--${item.colour})` }"></span>
        {{ item.label }}
      </template>
    </el-option>
    <el-option
      v-for="place in made"
      v-show="!typed"
      :key="`made ${place}`"
      :value="place"
      :label="spokenPath(place)"
    />
    <el-option v-if="isNew" key="new" :value="fresh" :label="spokenPath(fresh)">
      <b>New {{ noun }}:</b> {{ spokenPath(fresh) }}
    </el-option>
  </el-select>
</template>
