/** Keys that work outside of text fields. */
import { useEventListener } from '@vueuse/core'

export type Keys = Record<string, (event: KeyboardEvent) => void>

function inTextField(event: KeyboardEvent): boolean {
  const target = event.target
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName))
  )
}

/** Names are those of KeyboardEvent.key, in lower case; "ctrl+" before one that works everywhere. */
export function useKeys(keys: Keys): void {
  // Captured on the way down: some inputs keep the keys they know to themselves.
  const listen = (event: KeyboardEvent): void => {
    const control = event.ctrlKey || event.metaKey
    const name = event.key.toLowerCase()
    const action = keys[control ? `ctrl+${name}` : name]
    if (!action || event.altKey || (!control && inTextField(event))) return
    event.preventDefault()
    if (control) event.stopPropagation()
    action(event)
  }
  useEventListener(document, 'keydown', listen, { capture: true })
}
