/** What is dragged over the folders: messages, or a folder. */
import type { Which } from '@/api/client'

export type Dragged = { messages: Which } | { folder: number }

/** A page may read what is dragged only where it is dropped, so it is kept here meanwhile. */
let dragged: Dragged | undefined

export function startDrag(event: DragEvent, what: Dragged, saying: string): void {
  dragged = what
  event.dataTransfer?.setData('text/plain', saying)
  if (event.dataTransfer) event.dataTransfer.effectAllowed = 'move'
}

export function nowDragged(): Dragged | undefined {
  return dragged
}

export function endDrag(): void {
  dragged = undefined
}
