/**
 * Whether a Content-Security-Policy lets a page load scripts from an origin, as far as its text tells:
 * nonces and `strict-dynamic` are the page's own affair and count as allowing.
 */
export function policyAllows(policy: string, origin: string): boolean {
  return policy.split(',').every((one) => {
    const directives = new Map(
      one
        .split(';')
        .map((each) => each.trim().split(/\s+/))
        .map(([name = '', ...sources]) => [name.toLowerCase(), sources] as const),
    )
    const sources = directives.get('script-src-elem') ?? directives.get('script-src') ?? directives.get('default-src')
    if (!sources) return true
    const { protocol, host, hostname } = new URL(origin)
    return sources.some((source) => {
      const plain = source.toLowerCase()
      if (plain === '*' || plain === protocol || plain.startsWith("'nonce-") || plain === "'strict-dynamic'") return true
      const [, scheme, place] = /^(?:(https?):\/\/)?([^/]+)/.exec(plain) ?? []
      if (!place || (scheme && `${scheme}:` !== protocol)) return false
      return place === host || place === hostname || (place.startsWith('*.') && hostname.endsWith(place.slice(1)))
    })
  })
}
