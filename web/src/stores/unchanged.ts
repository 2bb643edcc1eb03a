/** What was found again as it was: screens draw anew what is another thing than before. */

/**
 * What is found now, with the things of before in place of those that are equal to them; the list
 * of before where it is as it was.
 */
export function keeping<T extends { id: number }>(before: T[], now: T[]): T[] {
  const known = new Map(before.map((item) => [item.id, item]))
  const kept = now.map((item) => {
    const old = known.get(item.id)
    return old !== undefined && JSON.stringify(old) === JSON.stringify(item) ? old : item
  })
  const same = kept.length === before.length && kept.every((item, at) => item === before[at])
  return same ? before : kept
}
