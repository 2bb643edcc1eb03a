/** A question in a box over everything: yes, or back. */
export async function confirmed(question: string, title: string, yes: string): Promise<boolean> {
  try {
    const buttons = { confirmButtonText: yes, cancelButtonText: 'Go back' }
    await ElMessageBox.confirm(question, title, buttons)
    return true
  } catch {
    return false
  }
}
