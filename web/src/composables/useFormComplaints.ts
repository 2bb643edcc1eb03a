/** What the server says is wrong in a form: each thing at its field, the focus on the first. */
import { nextTick, ref } from 'vue'

import { aboutSaying, complaintSaying, complaintsOf, isAt, type Complaint } from '@/text/complaints'
import { useActs, type Notice } from '@/stores/acts'

/** The control that a complaint in the same field is about; the field may say in which part it is. */
export function controlOf(complaint: Element): HTMLElement | undefined {
  const field = complaint.closest<HTMLElement>('[data-field]')
  const within = field?.dataset['field'] ? field.querySelector(field.dataset['field']) : field
  for (const kind of ['input, textarea, select', 'button']) {
    const element = (within ?? field)?.querySelector<HTMLElement>(kind)
    if (element) return element
  }
  return undefined
}

/** The focus goes to the first field with a complaint; whether there is one. */
export async function focusFirstComplaint(): Promise<boolean> {
  await nextTick()
  const first = document.querySelector('[data-complaint]')
  const control = first && controlOf(first)
  control?.focus()
  return !!first
}

/** `fields` names each field by its path, or one thing of a list: { name: 'name', aliases: 'alias' }. */
export function useFormComplaints(fields: Record<string, string>) {
  const acts = useActs()
  const complaints = ref<Complaint[]>([])

  /** What is wrong at a field. */
  function at(field: string): string {
    const here = complaints.value.filter((complaint) => isAt(complaint, field))
    return here
      .map((item) => complaintSaying(aboutSaying(fields[field] ?? '', item.path), item.message))
      .join(' ')
  }

  /** What is wrong that no field is about. */
  function elsewhere(): string {
    const paths = Object.keys(fields)
    return complaints.value
      .filter((complaint) => !paths.some((path) => isAt(complaint, path)))
      .map((complaint) => complaintSaying(complaint.path, complaint.message))
      .join(' ')
  }

  async function attempt(work: () => Promise<Notice | undefined>): Promise<boolean> {
    complaints.value = []
    return acts.attempt(work, (refused) => {
      complaints.value = complaintsOf(refused)
      void focusFirstComplaint()
    })
  }

  return { at, elsewhere, attempt }
}
