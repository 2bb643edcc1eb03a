/** Short names of kinds, as a row shows them; mail from a person to a person needs none. */
export const KIND_NAMES: Record<string, string> = {
  newsletter: 'newsletter',
  discussion: 'list',
  notification: 'notification',
  invitation: 'invitation',
  auto_reply: 'automatic answer',
  bounce: 'bounce',
}
