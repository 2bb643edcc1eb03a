/** A folder or a label on which messages, or a folder, may be dropped. */
import { reactive } from 'vue'

import type { Folder, Label } from '@/api/client'
import { usePlaces } from '@/composables/usePlaces'
import { endDrag, nowDragged } from '@/mail/drag'
import { useActs } from '@/stores/acts'
import { useMailbox } from '@/stores/mailbox'

/** Without a target it is the top, where folders alone may be dropped. */
export function useDropTarget(target: () => Folder | Label | undefined) {
  const mailbox = useMailbox()
  const acts = useActs()
  const places = usePlaces()
  const drop = reactive({ over: false, listeners: { dragover, dragleave, drop: dropped } })

  function dragover(event: DragEvent): void {
    if (!nowDragged()) return
    event.preventDefault()
    drop.over = true
  }

  function dragleave(): void {
    drop.over = false
  }

  async function dropped(event: DragEvent): Promise<void> {
    event.preventDefault()
    const dragged = nowDragged()
    const place = target()
    drop.over = false
    endDrag()
    if (!dragged) return
    if ('folder' in dragged) {
      const folder = mailbox.folders.find((candidate) => candidate.id === dragged.folder)
      const parent = place && 'path' in place ? place : undefined
      if (folder && folder.id !== parent?.id) await places.moveFolder(folder, parent)
    } else if (place && 'path' in place) {
      const here = mailbox.connected.length
        ? { plain: { do: 'move_to' as const, folder: place.id } }
        : { do: { do: 'file' as const, folder: place.path } }
      await acts.act(dragged.messages, here)
    } else if (place) {
      await acts.act(dragged.messages, { do: { do: 'label', label: place.name } })
    }
  }

  return drop
}
