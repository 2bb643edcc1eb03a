/** What a rule can do besides filing and labelling, and which actions stand in each other's way. */
import type { Action } from '@/api/client'

import { COLOURS } from '@/mail/colours'

export type ActionName = Action['do']

export interface ActionKind {
  name: ActionName
  label: string
  /** Only one action of a slot can stand in a rule. */
  slot?: 'place' | 'seen' | 'flagged' | 'colour' | 'priority'
  make: () => Action
}

export const SOUNDS = ['bell', 'knock', 'ripple'] as const
export type Sound = (typeof SOUNDS)[number]

const DEFAULT_EVERY = 7

/** RFC 9051: every mailbox has one of this name. */
const INBOX = 'Inbox'

export const ACTION_KINDS: readonly ActionKind[] = [
  { name: 'keep', label: 'Keep it in the inbox', slot: 'place', make: () => ({ do: 'keep' }) },
  {
    name: 'file',
    label: 'Move it to the inbox',
    slot: 'place',
    make: () => ({ do: 'file', folder: INBOX }),
  },
  { name: 'archive', label: 'Archive it', slot: 'place', make: () => ({ do: 'archive' }) },
  { name: 'trash', label: 'Move it to the trash', slot: 'place', make: () => ({ do: 'trash' }) },
  { name: 'erase', label: 'Erase it', slot: 'place', make: () => ({ do: 'erase' }) },
  { name: 'read', label: 'Mark it as read', slot: 'seen', make: () => ({ do: 'read' }) },
  { name: 'unread', label: 'Mark it as unread', slot: 'seen', make: () => ({ do: 'unread' }) },
  { name: 'flag', label: 'Flag it', slot: 'flagged', make: () => ({ do: 'flag' }) },
  { name: 'unflag', label: 'Take its flag off', slot: 'flagged', make: () => ({ do: 'unflag' }) },
  {
    name: 'colour',
    label: 'Colour it',
    slot: 'colour',
    make: () => ({ do: 'colour', colour: COLOURS[0] }),
  },
  {
    name: 'priority',
    label: 'Set its importance',
    slot: 'priority',
    make: () => ({ do: 'priority', level: 'high' }),
  },
  { name: 'copy', label: 'Copy it to a folder', make: () => ({ do: 'copy', folder: '' }) },
  { name: 'unlabel', label: 'Take a label off', make: () => ({ do: 'unlabel', label: '' }) },
  { name: 'forward', label: 'Forward it', make: () => ({ do: 'forward', to: [] }) },
  {
    name: 'reply',
    label: 'Answer it',
    make: () => ({ do: 'reply', text: '', subject: null, every: DEFAULT_EVERY }),
  },
  { name: 'notify', label: 'Make a sound', make: () => ({ do: 'notify', sound: null }) },
]

export function actionKind(name: ActionName): ActionKind | undefined {
  return ACTION_KINDS.find((each) => each.name === name)
}

/** The kinds that can be added: those whose slot is free. */
export function freeKinds(more: readonly Action[], filed: boolean): ActionKind[] {
  const taken = new Set(more.map((each) => actionKind(each.do)?.slot))
  if (filed) taken.add('place')
  return ACTION_KINDS.filter((each) => each.slot === undefined || !taken.has(each.slot))
}

/** Whether an action says all that it needs: one that does not yet is left out of the rehearsal. */
export function isComplete(action: Action): boolean {
  switch (action.do) {
    case 'copy':
      return action.folder.trim() !== ''
    case 'unlabel':
      return action.label.trim() !== ''
    case 'forward':
      return action.to.length > 0
    case 'reply':
      return action.text.trim() !== ''
    default:
      return true
  }
}
