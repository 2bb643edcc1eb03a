<script setup lang="ts">
import { computed, defineAsyncComponent, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { api, content, type Which } from '@/api/client'
import MessageList from '@/components/mail/MessageList.vue'
import PlaceList from '@/components/mail/PlaceList.vue'
import AsidePane from '@/components/shell/AsidePane.vue'
import { useKeys } from '@/composables/useKeys'
import type { Place } from '@/composables/useMessages'
import { useNarrow } from '@/composables/useRoom'
import { monthsBack, type Month } from '@/mail/months'
import { countSaying, spokenPath } from '@/rules/sayings'
import { findAddress } from '@/mail/find-address'
import { isUnderWay } from '@/router'
import { useMailbox } from '@/stores/mailbox'

/** Loaded when they are asked for: the first view stays small. */
const CatchUpPane = defineAsyncComponent(() => import('@/components/rules/CatchUpPane.vue'))
const AtHand = defineAsyncComponent(() => import('@/components/mail/AtHand.vue'))
const CommonFacts = defineAsyncComponent(() => import('@/components/mail/CommonFacts.vue'))
/** It is on its way as soon as the list is reached. */
const loadMessage = () => import('@/components/mail/OpenMessage.vue')
const OpenMessage = defineAsyncComponent(loadMessage)
const FirstSteps = defineAsyncComponent(() => import('@/components/mail/FirstSteps.vue'))

const mailbox = useMailbox()
const route = useRoute()
const router = useRouter()

function number(value: string | string[] | undefined): number | undefined {
  return value === undefined || value === '' ? undefined : Number(value)
}

const kind = computed(() => {
  if (route.name === 'find') return 'find'
  return route.params['kind'] === 'label' ? 'label' : 'folder'
})
const find = computed(() => {
  const value = route.query['find']
  return typeof value === 'string' ? value : ''
})
const placeId = computed(() => number(route.params['place']) ?? mailbox.inbox?.id)
const message = computed(() => number(route.params['message']))

const place = computed<Place | undefined>(() => {
  if (kind.value === 'find') return { find: find.value }
  const id = placeId.value
  if (id === undefined) return undefined
  return kind.value === 'label' ? { label: id } : { folder: id }
})

function addressOf(id: number | undefined): string {
  const tail = id === undefined ? '' : `/${id}`
  if (kind.value === 'find') return findAddress(find.value, id)
  return `/mail/${kind.value}/${placeId.value ?? ''}${tail}`
}

const title = computed(() => {
  const id = placeId.value
  if (kind.value === 'find') return 'Found'
  if (kind.value === 'label') return mailbox.labels.find((label) => label.id === id)?.name ?? ''
  const folder = mailbox.folders.find((candidate) => candidate.id === id)
  const account = mailbox.connected.find((candidate) => candidate.id === folder?.mailbox_id)?.name
  const path = spokenPath(folder?.path ?? '')
  return account ? `${path}, ${account}` : path
})

watch(
  () => (kind.value === 'folder' ? placeId.value : undefined),
  (id) => {
    if (id === undefined) return
    mailbox.lookInto(id).catch(() => {
      // the look is noted the next time
    })
  },
  { immediate: true },
)

/** A group of one kind can be narrowed to a month, without knowing how that is written. */
const mayNarrow = computed(
  () => /\bkind:/.test(find.value) && !/\b(on|before|after):/.test(find.value),
)
const months = computed(() => monthsBack(new Date()))
async function toMonth({ terms }: Month): Promise<void> {
  await router.replace({ name: 'find', query: { find: `${find.value.trim()} ${terms}` } })
}

async function ruleFromSearch(): Promise<void> {
  const query = { text: find.value, caret: 0 }
  const { when, unless } = await content(api.GET('/api/find/rule', { params: { query } }))
  if (!when) return
  const { useWorkbench } = await import('@/stores/workbench')
  useWorkbench().startFrom(when, unless)
  await router.push('/rules/new')
}

/** What the list and the open message let keys do. */
interface ListKeys {
  step: (by: number) => void
  extend: (by: number) => void
  trash: () => Promise<void>
  moveOn: () => Promise<void>
  toggleCurrent: () => void
  selectAll: () => void
  clear: () => void
  anySelected: () => boolean
}
const list = ref<ListKeys>()
/** Several messages that are selected: a rule may be made from what they share. */
const selected = ref<{ which: Which; count: number }>()
const onWhat = computed(() =>
  selected.value ? countSaying(selected.value.count, 'message') : `all of ${title.value}`,
)

/** The message that stands on the right: one that is ticked alone is as one that is open. */
const shown = computed(() => {
  const { which, count } = selected.value ?? {}
  return count === 1 && which?.ids?.length === 1 ? which.ids[0] : message.value
})

/** A catch-up is chosen where the message stands otherwise, on the selection or the list. */
const catchingUp = ref(false)
const rulesOn = computed(() =>
  mailbox.rules.filter((rule) => rule.rule.enabled).map((rule) => rule.id),
)
const chosenMail = computed(() => {
  const which = selected.value?.which ?? place.value
  return which && { which, saying: selected.value ? `${onWhat.value}, selected` : onWhat.value }
})
watch(message, () => (catchingUp.value = false))

/** Where one pane is all there is room for: places come over it, and what is opened takes its place. */
const narrow = useNarrow()
const places = ref(false)
const sharing = ref(false)
const home = ref(false)
watch([() => route.fullPath, narrow], () => {
  places.value = sharing.value = home.value = false
})
watch(
  () => selected.value?.count,
  () => (sharing.value = false),
)
type Shown = 'catch-up' | 'common' | 'message' | 'home'
const beside = computed<Shown>(() => {
  if (catchingUp.value) return 'catch-up'
  if ((selected.value?.count ?? 0) > 1) return 'common'
  return shown.value === undefined ? 'home' : 'message'
})
/** What takes the place of the list; nothing where there is room for both. */
const instead = computed<Shown | undefined>(() => {
  if (!narrow.value) return undefined
  if (catchingUp.value) return 'catch-up'
  if (sharing.value && beside.value === 'common') return 'common'
  if (message.value !== undefined && !selected.value) return 'message'
  return home.value || !hasMail.value ? 'home' : undefined
})
const hasMail = computed(() => !mailbox.ready || mailbox.folders.some((folder) => folder.total > 0))

/** Back to the list, and to the row that was left. */
async function toList(): Promise<void> {
  const id = message.value
  catchingUp.value = sharing.value = home.value = false
  await router.push(addressOf(undefined))
  await nextTick()
  document.querySelector<HTMLElement>(`[data-message="${id ?? ''}"] a`)?.focus()
}
watch(instead, async (now) => {
  if (!now) return
  await nextTick()
  document.querySelector<HTMLElement>('.instead')?.focus({ preventScroll: true })
})

/** Once a message went elsewhere the next is opened, unless its owner has gone on meanwhile. */
function moveOn(id: number | undefined): void {
  if (!isUnderWay() && (selected.value || id === message.value)) void list.value?.moveOn()
}

const common = ref<{ makeRule: () => Promise<void> }>()
const opened = ref<{ makeRule: () => Promise<void>; why: () => void; enter: () => void }>()
useKeys({
  arrowdown: () => list.value?.step(1),
  arrowup: () => list.value?.step(-1),
  'shift+arrowdown': () => list.value?.extend(1),
  'shift+arrowup': () => list.value?.extend(-1),
  ' ': (event) => {
    // On a button the space bar presses the button.
    if (event.target instanceof HTMLButtonElement) event.target.click()
    else list.value?.toggleCurrent()
  },
  'ctrl+a': { outsideText: true, do: () => list.value?.selectAll() },
  enter: (event) => {
    const target = event.target instanceof HTMLElement ? event.target : document.body
    // Enter goes from the list into the open message; elsewhere it presses what has the focus.
    if (target === document.body || target.getAttribute('aria-current') === 'true') {
      opened.value?.enter()
    } else target.click()
  },
  delete: () => void list.value?.trash(),
  m: () => {
    if (narrow.value && beside.value === 'common') sharing.value = true
    void (common.value ?? opened.value)?.makeRule()
  },
  w: () => opened.value?.why(),
  escape: () => {
    if (list.value?.anySelected()) list.value.clear()
    else void router.push(addressOf(undefined))
  },
})
</script>

<template>
  <main class="mail" :class="{ narrow }">
    <h1 class="visually-hidden">Mail</h1>
    <AsidePane v-model="places" title="Folders and labels" from="left">
      <PlaceList :kind="kind" :place="kind === 'find' ? undefined : placeId">
        <template #end>
          <AtHand
            :which="selected?.which ?? place"
            :on="onWhat"
            :selected="!!selected"
            @catch-up="((catchingUp = true), (places = false))"
          />
        </template>
      </PlaceList>
    </AsidePane>
    <MessageList
      ref="list"
      :class="{ behind: instead }"
      :title="title"
      :place="place"
      :current="message"
      :address-of="addressOf"
      @pointerenter.once="loadMessage"
      @selected="(which, count) => (selected = which && { which, count })"
    >
      <template v-if="narrow" #before>
        <button class="text-button" type="button" aria-haspopup="dialog" @click="places = true">
          ☰ Folders
        </button>
      </template>
      <template v-if="narrow" #selected>
        <button
          v-if="beside === 'common'"
          class="text-button"
          type="button"
          title="M"
          @click="sharing = true"
        >
          Make a rule
        </button>
        <button class="text-button" type="button" aria-haspopup="dialog" @click="places = true">
          At hand…
        </button>
      </template>
      <template #head>
        <p v-if="narrow" class="thumb-row">
          <button class="text-button" type="button" @click="home = true">
            Since your last look
          </button>
        </p>
        <p v-if="kind === 'find'" class="from-search">
          <button class="text-button" type="button" @click="ruleFromSearch">
            Make a rule from this search
          </button>
          <template v-if="mayNarrow">
            <button
              v-for="month in months"
              :key="month.label"
              class="text-button"
              type="button"
              @click="toMonth(month)"
            >
              {{ month.label }}
            </button>
          </template>
        </p>
      </template>
    </MessageList>
    <div
      v-if="!narrow || instead"
      class="beside"
      :class="{ instead }"
      :tabindex="instead ? -1 : undefined"
    >
      <p v-if="instead && instead !== 'catch-up'" class="back thumb-row">
        <button class="text-button" type="button" @click="toList">← {{ title }}</button>
      </p>
      <CatchUpPane
        v-if="(instead ?? beside) === 'catch-up'"
        :rule-ids="rulesOn"
        :mail="chosenMail"
        back="Back to the mail"
        @close="catchingUp = false"
      />
      <CommonFacts
        v-else-if="(instead ?? beside) === 'common' && selected"
        ref="common"
        :which="selected.which"
        :count="selected.count"
      />
      <OpenMessage
        v-else-if="(instead ?? beside) === 'message' && shown !== undefined"
        :id="shown"
        ref="opened"
        :peek="shown !== message"
        @moved="moveOn"
      />
      <FirstSteps v-else />
    </div>
  </main>
</template>

<style scoped>
.mail {
  display: grid;
  grid-template: minmax(0, 1fr) / 216px 400px minmax(0, 1fr);
}

.mail.narrow {
  grid-template-columns: minmax(0, 1fr);
}

.mail.narrow > :not(h1) {
  grid-area: 1 / 1;
}

.mail > *,
.beside > * {
  min-height: 0;
}

.beside {
  display: grid;
  grid-template: minmax(0, 1fr) / minmax(0, 1fr);
}

.beside.instead {
  display: flex;
  flex-direction: column;
  background: var(--sheet);
}

.beside.instead > :last-child {
  flex: 1;
}

.instead:focus-visible {
  outline: none;
}

/* It keeps its place in the list for when it is gone back to. */
.behind {
  visibility: hidden;
}

.back {
  padding: 4px 14px;
  border-bottom: 1px solid var(--line-soft);
}

.from-search {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  padding-top: 2px;
}

@media (min-width: 1600px) {
  .mail:not(.narrow) {
    grid-template-columns: 256px 480px minmax(0, 1fr);
  }
}
</style>
