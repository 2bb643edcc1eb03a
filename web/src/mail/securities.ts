/** How a connection to a mail server is secured, and the port where that is usual. */

export type Security = 'tls' | 'starttls' | 'none'

/** Where a server is, as it is typed. */
export interface Where {
  host: string
  port: string
  security: Security
}

export interface SecurityOffer {
  value: Security
  label: string
  port: number
}

/** For reading mail (RFC 8314, RFC 9051). */
export const MAIL_SECURITY: readonly SecurityOffer[] = [
  { value: 'tls', label: 'TLS', port: 993 },
  { value: 'starttls', label: 'STARTTLS', port: 143 },
  { value: 'none', label: 'none, on this computer alone', port: 143 },
]

/** For sending it (RFC 8314, RFC 6409). */
export const SUBMISSION_SECURITY: readonly SecurityOffer[] = [
  { value: 'tls', label: 'TLS', port: 465 },
  { value: 'starttls', label: 'STARTTLS', port: 587 },
  { value: 'none', label: 'none, on this computer alone', port: 587 },
]

/** For scripts that run there (RFC 5804). */
export const SCRIPT_SECURITY: readonly SecurityOffer[] = [
  { value: 'starttls', label: 'STARTTLS', port: 4190 },
  { value: 'tls', label: 'TLS', port: 4190 },
  { value: 'none', label: 'none, on this computer alone', port: 4190 },
]

export function portFor(offers: readonly SecurityOffer[], security: Security): number {
  return offers.find((offer) => offer.value === security)?.port ?? 0
}
