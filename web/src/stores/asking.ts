/** What is asked before something is done; the box for it is loaded when the first is asked. */
export async function ask(question: string, title: string, yes: string): Promise<boolean> {
  const { confirmed } = await import('@/components/shell/question-box')
  return confirmed(question, title, yes)
}
