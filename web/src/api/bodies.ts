/** What the server is asked, with every key: what a page leaves out has its usual value. */
import type { AskedAct, CatchUpAsked, RehearsalBody, Which } from './client'
import type { components } from './schema'

type Schemas = components['schemas']

export function whichBody(which: Which): Schemas['WhichIn'] {
  return {
    ids: null,
    folder: null,
    below: false,
    label: null,
    find: null,
    mailbox: null,
    leave_out: [],
    ...which,
  }
}

export function changeBody(which: Which, what: AskedAct, askFirst: boolean): Schemas['ChangeIn'] {
  const done = 'do' in what ? what.do : null
  const plain = 'plain' in what ? { folder: null, ...what.plain } : null
  return { which: whichBody(which), do: done, plain, ask_first: askFirst }
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
