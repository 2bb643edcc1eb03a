/** What would be in a place that is empty, and how it gets there. */
const COMES_HERE: Record<string, string> = {
  inbox: 'Mail that no rule moves comes in here.',
  archive: 'What you or a rule archive stays here for good.',
  sent: 'Mail that you wrote stands here, once it is brought in.',
  junk: 'What you or a rule take for junk stands here.',
  trash: 'What you or a rule throw away waits here.',
}

/** Of a folder with its role, null for one of the owner's own; or of a label. */
export function emptyPlaceSaying(place: { folder: string | null } | 'label'): string {
  const role = place === 'label' ? null : place.folder
  const another = `A rule can ${place === 'label' ? 'put this label on' : 'file mail here'}, and messages can be dragged onto it.`
  return `Nothing here. ${(role && COMES_HERE[role]) || another}`
}
