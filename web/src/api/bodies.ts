/** What the server is asked, with every key: what a page leaves out has its usual value. */
import type { AskedAct, CatchUpAsked, RehearsalBody, Which } from './client'
import type { components } from './schema'

type Schemas = components['schemas']

export function whichBody(which: Which): Schemas['WhichIn'] {
  return { ids: null, folder: null, below: false, label: null, find: null, leave_out: [], ...which }
}

export function changeBody(which: Which, what: AskedAct, askFirst: boolean): Schemas['ChangeIn'] {
  return { which: whichBody(which), do: null, plain: null, ask_first: askFirst, ...what }
}

export function catchUpBody(asked: CatchUpAsked): Schemas['CatchUpIn'] {
  return {
    since: null,
    until: null,
    everywhere: false,
    respects: true,
    takes_left: false,
    ...asked,
    which: asked.which ? whichBody(asked.which) : null,
  }
}

const REHEARSED = 50 // messages that are shown

export function rehearsalBody(
  asked: Partial<RehearsalBody> & Pick<RehearsalBody, 'when'>,
): RehearsalBody {
  return {
    name: 'new rule',
    enabled: true,
    unless: null,
    then: [],
    stop: false,
    runs: ['arrival'],
    accounts: [],
    active: null,
    limit: REHEARSED,
    rule_id: null,
    pins: [],
    patience: 'whole',
    ...asked,
  }
}
