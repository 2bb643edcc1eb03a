<script setup lang="ts">
import { useTimeoutFn } from '@vueuse/core'
import { computed, nextTick, ref, useId, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, content, type Suggestion } from '@/api/client'
import { useFollower } from '@/composables/useFollower'
import { useKeys } from '@/composables/useKeys'
import { useListBox } from '@/composables/useListBox'

const route = useRoute()
const router = useRouter()

const text = ref('')
const input = ref<HTMLInputElement>()
const suggestions = ref<readonly Suggestion[]>([])
const focused = ref(false)

const listId = useId()
const { active, optionId, activeId, step, restart } = useListBox(
  listId,
  () => suggestions.value.length,
  -1,
)

const searched = computed(() => {
  const value = route.query['find']
  return route.name === 'find' && typeof value === 'string' ? value : ''
})
watch(
  searched,
  (now) => {
    if (!focused.value) text.value = now
  },
  { immediate: true },
)

const PAUSE = 120 // milliseconds without a keystroke
/** Behind a word that is finished nothing is offered unasked: it would lie over what was found. */
function isBetweenWords(): boolean {
  const before = text.value.slice(0, input.value?.selectionStart ?? text.value.length)
  return text.value.trim() !== '' && /(^|\s)$/.test(before)
}
let asked = false
const suggesting = useFollower(async (signal) => {
  if (isBetweenWords() && !asked) {
    suggestions.value = []
    return
  }
  const query = { text: text.value, caret: input.value?.selectionStart ?? text.value.length }
  try {
    const completions = await content(
      api.GET('/api/find/suggestions', { params: { query }, signal }),
    )
    if (signal.aborted) return
    suggestions.value = completions.suggestions
    restart()
  } catch {
    // A help, not a need: what is typed is searched for as it stands.
    if (!signal.aborted) suggestions.value = []
  }
})
const searching = useTimeoutFn(() => void search(), PAUSE, { immediate: false })

/** The arrow down asks for what may stand next, where nothing is offered. */
function down(): void {
  if (suggestions.value.length) {
    void step(1)
  } else {
    asked = true
    void suggesting.now()
  }
}

function typed(): void {
  asked = false
  suggesting.soon(PAUSE)
  searching.start()
}

async function search(): Promise<void> {
  const find = text.value.trim()
  if (find === searched.value) return
  if (!find) {
    if (searched.value) await router.push('/mail')
    return
  }
  const target = { name: 'find', query: { find } }
  // Each letter is no step of its own for the browser's way back.
  await (searched.value ? router.replace(target) : router.push(target))
}

async function take(suggestion: Suggestion): Promise<void> {
  const before = text.value.slice(0, suggestion.start) + suggestion.text
  // What was typed of the word since it was offered goes with it.
  text.value = before + text.value.slice(suggestion.end).replace(/^\S+/, '').trimStart()
  await nextTick()
  input.value?.setSelectionRange(before.length, before.length)
  typed()
}

function enter(): void {
  const chosen = suggestions.value[active.value]
  if (chosen) void take(chosen)
  else {
    suggestions.value = []
    void search()
  }
}

function focus(): void {
  focused.value = true
  asked = false
  if (!searched.value) void suggesting.now()
}

function leave(): void {
  focused.value = false
  suggestions.value = []
}

function clear(): void {
  if (suggestions.value.length) {
    suggestions.value = []
    return
  }
  text.value = ''
  void search()
  input.value?.blur()
}

useKeys({
  f: () => {
    input.value?.focus()
    input.value?.select()
  },
})
</script>

<template>
  <div class="find" role="search">
    <input
      ref="input"
      v-model="text"
      class="field"
      type="search"
      placeholder="Find mail"
      title="Find (F)"
      aria-label="Find mail"
      role="combobox"
      aria-autocomplete="list"
      :aria-expanded="focused && suggestions.length > 0"
      :aria-controls="focused && suggestions.length ? listId : undefined"
      :aria-activedescendant="activeId()"
      autocomplete="off"
      spellcheck="false"
      @input="typed"
      @focus="focus"
      @blur="leave"
      @keydown.down.prevent="down"
      @keydown.up.prevent="step(-1)"
      @keydown.enter.prevent="enter"
      @keydown.esc.stop="clear"
    />
    <ul
      v-if="focused && suggestions.length"
      :id="listId"
      role="listbox"
      aria-label="What may stand next"
    >
      <li
        v-for="(suggestion, index) in suggestions"
        :id="optionId(index)"
        :key="suggestion.text"
        role="option"
        :aria-selected="index === active"
        @mousedown.prevent="take(suggestion)"
        @mousemove="active = index"
      >
        <b class="one-line">{{ suggestion.words || suggestion.text }}</b>
        <span class="one-line">{{ suggestion.words ? suggestion.text : suggestion.meaning }}</span>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.find {
  position: relative;
  width: 300px;
}

input {
  width: 100%;
}

ul {
  position: absolute;
  z-index: 30;
  top: 36px;
  right: 0;
  width: 400px;
  padding: 6px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--sheet);
  box-shadow: 0 4px 16px var(--shadow);
}

li {
  display: flex;
  gap: 12px;
  justify-content: space-between;
  padding: 4px 8px;
  border-radius: 4px;
  cursor: pointer;
}

li[aria-selected='true'] {
  background: var(--spruce-wash);
}

li b {
  font-weight: 600;
  flex: none;
  max-width: 60%;
}

li span {
  color: var(--ink-soft);
}

@media (max-width: 1099px) {
  .find {
    flex: 0 1 300px;
    min-width: 0;
  }

  ul {
    width: min(400px, calc(100vw - 28px));
  }
}

@media (max-width: 479px) {
  .find {
    flex: 1;
    order: -1;
    position: static; /* what may stand next has the whole width of the bar */
  }

  ul {
    inset: 46px 14px auto;
    width: auto;
  }
}
</style>
