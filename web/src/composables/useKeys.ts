/** Keys that work outside of text fields. */
import { useEventListener } from '@vueuse/core'

export type KeyAction = (event: KeyboardEvent) => void

/** With `outsideText` a combination is left to text fields while one has the focus. */
export type Keys = Record<string, KeyAction | { outsideText: true; do: KeyAction }>

const TEXT_INPUTS = ['text', 'search', 'email', 'number', 'date', 'url', 'password', 'tel']

function inTextField(event: KeyboardEvent): boolean {
  const target = event.target
  if (!(target instanceof HTMLElement)) return false
  if (target instanceof HTMLInputElement) return TEXT_INPUTS.includes(target.type)
  return target.isContentEditable || ['TEXTAREA', 'SELECT'].includes(target.tagName)
}

/** What asks for an answer has its own keys; a pane over the view hides what those of it act on. */
function isOver(event: KeyboardEvent, inPanes: boolean): boolean {
  const over = event.target instanceof Element && event.target.closest('[aria-modal="true"]')
  return !!over && !(inPanes && over.querySelector('.side-pane'))
}

/**
 * Names are those of KeyboardEvent.key, in lower case; "ctrl+" or "shift+" before one.
 * With `inPanes` they work as well in what lies over a view for want of room.
 */
export function useKeys(keys: Keys, inPanes = false): void {
  // Captured on the way down: some inputs keep the keys they know to themselves.
  const listen = (event: KeyboardEvent): void => {
    const control = event.ctrlKey || event.metaKey
    const name = event.key.toLowerCase()
    const shifted = event.shiftKey && !control ? keys[`shift+${name}`] : undefined
    const bound = shifted ?? keys[control ? `ctrl+${name}` : name]
    if (!bound || event.altKey || isOver(event, inPanes)) return
    const { outsideText, do: action } =
      typeof bound === 'function' ? { outsideText: !control, do: bound } : bound
    if (outsideText && inTextField(event)) return
    event.preventDefault()
    if (control) event.stopPropagation()
    action(event)
  }
  useEventListener(document, 'keydown', listen, { capture: true })
}
