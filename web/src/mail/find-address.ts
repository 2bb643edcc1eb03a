/** Where Mail shows what a search finds; with a message of it open, where one is named. */
export function findAddress(search: string, message?: number): string {
  const open = message === undefined ? '' : `/${message}`
  return `/mail/find${open}?find=${encodeURIComponent(search)}`
}
