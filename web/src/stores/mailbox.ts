/** Folders, labels and the line, kept true by the server's events. */
import { useTimeoutFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'

import {
  api,
  content,
  type Connected,
  type Emptying,
  type Folder,
  type Label,
  type Line,
  type NextUndo,
} from '@/api/client'
import { listen } from '@/api/events'
import { play } from '@/mail/sounds'
import { timeSaying } from '@/rules/sayings'

import { keeping } from './unchanged'

/** Events come in bursts (an import commits many times); screens follow at this pace. */
const PACE = 150 // milliseconds

/** Where looking anew takes long, it is done as often as leaves the server time for other things. */
const REST = 6 // times as long as the last look took

export const useMailbox = defineStore('mailbox', () => {
  /** The mailboxes of connected accounts. */
  const connected = shallowRef<Connected[]>([])
  const folders = shallowRef<Folder[]>([])
  const labels = shallowRef<Label[]>([])
  const emptying = shallowRef<Emptying | null>(null)
  /** What the undo key would take back. */
  const undo = shallowRef<NextUndo | null>(null)
  const trashDays = ref(30)
  const undoDays = ref(30)
  /** Where the owner's days begin. */
  const timezone = ref('UTC')
  /** Messages that an older Mnemic took in and that are not compressed yet. */
  const toPack = ref(0)
  const line = shallowRef<Line>({ rules: [], arrived: 0, stay: 0 })
  /** Counts up whenever anything in the mailbox may have changed. */
  const version = ref(0)
  const arrived = ref<{ count: number; sorted: number; at: Date }>()
  const ready = ref(false)
  const failure = ref('')

  let looked = 0 // milliseconds that the last look took
  let ended = -Infinity // when it ended
  let asked = 0 // looks so far
  let shown = 0 // the look that the screen shows
  async function refresh(): Promise<void> {
    const begun = performance.now()
    const mine = (asked += 1)
    try {
      const [mailbox, rules] = await Promise.all([
        content(api.GET('/api/mailbox')),
        content(api.GET('/api/rules')),
      ])
      // An answer that was overtaken by a newer one tells of an earlier state.
      if (mine < shown) return
      shown = mine
      connected.value = keeping(connected.value, mailbox.connected)
      folders.value = keeping(folders.value, mailbox.folders)
      labels.value = keeping(labels.value, mailbox.labels)
      emptying.value = mailbox.emptying
      undo.value = mailbox.undo
      trashDays.value = mailbox.trash_days
      undoDays.value = mailbox.undo_days
      timezone.value = mailbox.timezone
      toPack.value = mailbox.to_pack
      line.value = { ...rules, rules: keeping(line.value.rules, rules.rules) }
      failure.value = ''
      ready.value = true
    } catch (error) {
      failure.value = error instanceof Error ? error.message : String(error)
    }
    version.value += 1
    ended = performance.now()
    looked = ended - begun
  }

  let happened = 0 // events so far
  const pause = ref(PACE)
  const looking = useTimeoutFn(() => void look(), pause, { immediate: false })
  let busy = false // a look is waited for, or under way
  async function look(): Promise<void> {
    const seen = happened
    await refresh()
    busy = false
    if (happened !== seen) refreshSoon()
  }
  function refreshSoon(): void {
    happened += 1
    if (busy) return
    busy = true
    pause.value = Math.max(PACE, looked * REST - (performance.now() - ended))
    looking.start()
  }

  /** The owner has opened a folder: one that is to be looked into every so often is due no more. */
  async function lookInto(id: number): Promise<void> {
    const folder = folders.value.find((candidate) => candidate.id === id)
    if (folder?.look_in_days === null) return
    await content(api.POST('/api/folders/{id}/look', { params: { path: { id } } }))
    if (folder) await refresh() // else the first look, which is under way, or the event tells it
  }

  const SAME_ARRIVAL = 60_000 // arrivals within a minute are told as one
  function start(): () => void {
    void refresh()
    return listen((event) => {
      if (event.type === 'arrived') {
        play(event.sounds)
        const before = arrived.value
        const now = new Date()
        const joined = before && now.getTime() - before.at.getTime() < SAME_ARRIVAL
        arrived.value = {
          count: event.count + (joined ? before.count : 0),
          sorted: event.sorted + (joined ? before.sorted : 0),
          at: now,
        }
      }
      refreshSoon()
    })
  }

  const arrivedSaying = computed(() => {
    const news = arrived.value
    if (!news) return ''
    const at = timeSaying(news.at)
    if (news.count === 1) return `arrived ${at}, ${news.sorted ? 'sorted' : 'no rule took it'}`
    const all = news.count === 2 ? 'both' : 'all'
    return `arrived ${at}, ${news.sorted === news.count ? all : news.sorted} sorted`
  })

  const inbox = computed(() => folders.value.find((folder) => folder.role === 'inbox'))
  /** Every path there is: the same one in several mailboxes stands once, with all of its mail. */
  const paths = computed(() => {
    const totals = new Map<string, number>()
    for (const { path, total } of folders.value) totals.set(path, (totals.get(path) ?? 0) + total)
    return [...totals].map(([path, total]) => ({ path, total }))
  })
  /** What a mailbox is called. */
  function nameOf(id: number): string {
    return connected.value.find((account) => account.id === id)?.name ?? 'On this computer'
  }
  const accountOfFolder = computed(() => {
    const names = new Map(connected.value.map((account) => [account.id, account.name]))
    return new Map(folders.value.map((folder) => [folder.id, names.get(folder.mailbox_id) ?? '']))
  })
  /** ", Trust office": behind a folder's name, where it is one of a connected account. */
  function ofAccount(folderId: number): string {
    const name = accountOfFolder.value.get(folderId)
    return name ? `, ${name}` : ''
  }
  const rules = computed(() => line.value.rules)
  const colourOf = computed(
    () => new Map(labels.value.map((label) => [label.name.toLowerCase(), label.colour])),
  )

  return {
    connected,
    folders,
    paths,
    nameOf,
    ofAccount,
    labels,
    emptying,
    undo,
    trashDays,
    toPack,
    undoDays,
    timezone,
    line,
    rules,
    inbox,
    colourOf,
    version,
    arrived,
    arrivedSaying,
    ready,
    failure,
    refresh,
    lookInto,
    start,
  }
})
