import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, nextTick, ref, type EffectScope } from 'vue'

import { useMessages, type Place } from './useMessages'

const TOTAL = 100_000
let asked: URLSearchParams[] = []
let scope: EffectScope
/** Ids are the row's number plus this; a change on the server counts it up. */
let shift = 0

function serve(request: Request): Promise<Response> {
  const query = new URL(request.url).searchParams
  asked.push(query)
  const offset = Number(query.get('offset'))
  const messages = Array.from({ length: Number(query.get('limit')) }, (_, row) => ({
    id: offset + row + shift,
  }))
  const problems = query.get('find') === 'on:x' ? [{ path: 'on', message: 'is no day' }] : []
  const whole = query.get('patience') !== 'glance'
  const total = whole ? TOTAL : offset + messages.length
  return Promise.resolve(Response.json({ total, whole, messages, problems }))
}

async function settle(): Promise<void> {
  await nextTick()
  await new Promise((resolve) => setTimeout(resolve, 20))
}

function list(first: Place) {
  const place = ref<Place>(first)
  const version = ref(0)
  const inScope = scope.run(() => useMessages(place, version))
  if (!inScope) throw new Error('the scope has ended')
  return { place, version, ...inScope }
}

beforeEach(() => {
  asked = []
  shift = 0
  vi.stubGlobal('fetch', serve)
  scope = effectScope()
})

afterEach(() => {
  scope.stop()
  vi.unstubAllGlobals()
})

describe('a list of messages', () => {
  it('loads what is looked at, once, however long it is', async () => {
    const { need, at, total, indexOf } = list({ folder: 1 })
    await settle()
    expect([total.value, at(59)?.id, at(60)]).toEqual([TOTAL, 59, undefined])
    need(70_000, 70_070)
    need(70_000, 70_070)
    await settle()
    expect(asked.map((request) => request.get('offset'))).toEqual(['0', '69960', '70020'])
    expect([at(70_070)?.id, indexOf(70_050), indexOf(5)]).toEqual([70_070, 70_050, 5])
  })

  it('loads again what is on the screen when something changed, and lets go of the rest', async () => {
    const { need, at, version } = list({ folder: 1 })
    await settle()
    need(600, 640)
    await settle()
    shift = 7
    version.value += 1
    await settle()
    expect([at(600)?.id, at(0)]).toEqual([607, undefined])
  })

  it('keeps the last answer of a search while the next is on its way, and says what it can not read', async () => {
    const { place, at, need, problems, total, whole } = list({ find: 'per' })
    await settle()
    expect(asked.map((request) => request.get('patience'))).toEqual(['glance', null])
    expect([total.value, whole.value]).toEqual([TOTAL, true])
    need(60, 70)
    await settle()
    place.value = { find: 'on:x' }
    await nextTick()
    expect(at(0)?.id).toBe(0)
    await settle()
    expect(problems.value).toEqual(['on: is no day'])
    place.value = { folder: 2 }
    await nextTick()
    expect(at(0)).toBeUndefined()
  })
})
