/** A host as it is compared: lower case, without port and leading `www.`. */
export function plainHost(host: string): string {
  return host
    .trim()
    .toLowerCase()
    .replace(/:\d*$/, '')
    .replace(/^www\./, '')
}

/**
 * Tells whether a host belongs to a list. Subdomains only belong where written as `*.host`,
 * which does not include the host itself.
 */
export function hostIsListed(host: string, list: readonly string[]): boolean {
  const plain = plainHost(host)
  return plain !== '' && list.some((entry) => hostMatches(plain, entry))
}

/** Tells whether a host in plain form matches one entry of a list. */
export function hostMatches(plain: string, entry: string): boolean {
  const wanted = entry.trim()
  return wanted.startsWith('*.') ? plain.endsWith('.' + plainHost(wanted.slice(2))) : plain === plainHost(wanted)
}
