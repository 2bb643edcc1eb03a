/** What a person does with folders and labels themselves; each is said, and can be undone. */
import { api, content, type Folder, type Label } from '@/api/client'
import type { Colour } from '@/mail/colours'
import { spokenPath } from '@/rules/sayings'
import { useActs } from '@/stores/acts'

export function usePlaces() {
  const acts = useActs()

  /** Do it and let the screen follow; what is told is told by the notice. */
  async function quietly(work: () => Promise<unknown>): Promise<void> {
    await acts.attempt(async () => {
      await work()
      return undefined
    })
  }

  async function makeFolder(path: string, mailboxId: number): Promise<void> {
    const body = { path, mailbox_id: mailboxId }
    await quietly(() => content(api.POST('/api/folders', { body })))
  }

  async function putFolder(folder: Folder, name: string, parentId: number | null): Promise<number> {
    const body = { name, parent_id: parentId }
    const params = { path: { id: folder.id } }
    return (await content(api.PUT('/api/folders/{id}', { params, body }))).run_id
  }

  async function renameFolder(folder: Folder, name: string): Promise<void> {
    await quietly(() => putFolder(folder, name, folder.parent_id))
  }

  async function moveFolder(folder: Folder, parent: Folder | undefined): Promise<void> {
    const name = folder.path.split('/').at(-1) ?? folder.path
    await acts.attempt(async () => {
      const runId = await putFolder(folder, name, parent?.id ?? null)
      const where = parent ? `into ${spokenPath(parent.path)}` : 'to the top'
      return { saying: `${name} moved ${where}. Rules that name it follow.`, runId }
    })
  }

  async function deleteFolder(folder: Folder): Promise<void> {
    await acts.attempt(async () => {
      const done = await acts.asking((ask_first) => {
        const params = { path: { id: folder.id }, query: { ask_first } }
        return content(api.DELETE('/api/folders/{id}', { params }))
      })
      if (!done) return undefined
      const saying = `${spokenPath(folder.path)} deleted, its mail is in the trash`
      return { saying, runId: done.run_id }
    })
  }

  async function setLookIn(folder: Folder, days: number | null): Promise<void> {
    const params = { path: { id: folder.id } }
    await quietly(() => content(api.PUT('/api/folders/{id}/look-in', { params, body: { days } })))
  }

  async function makeLabel(name: string): Promise<void> {
    await quietly(() => content(api.POST('/api/labels', { body: { name, colour: null } })))
  }

  async function changeLabel(
    label: Label,
    next: { name?: string; colour?: Colour },
  ): Promise<void> {
    const params = { path: { id: label.id } }
    const body = { name: label.name, colour: label.colour as Colour, ...next }
    await quietly(() => content(api.PUT('/api/labels/{id}', { params, body })))
  }

  async function deleteLabel(label: Label): Promise<void> {
    const params = { path: { id: label.id } }
    await acts.attempt(async () => {
      const done = await content(api.DELETE('/api/labels/{id}', { params }))
      return { saying: `Label ${label.name} deleted`, runId: done.run_id }
    })
  }

  return {
    makeFolder,
    renameFolder,
    moveFolder,
    deleteFolder,
    setLookIn,
    makeLabel,
    changeLabel,
    deleteLabel,
  }
}
