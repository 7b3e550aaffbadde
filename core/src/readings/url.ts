/** The parts of an address that readings speak of. */
export interface UrlParts {
  /** Decoded once as UTF-8, trailing slash kept, never empty. */
  path: string
  /** As written, without `?`; empty when there is none. */
  query: string
  /** Lower case, without port or user; empty when the address has none. */
  host: string
}

/** Takes an address apart by text alone. Never throws, whatever the text is. */
export function urlParts(url: string): UrlParts {
  const [, host = '', rest = ''] = /^[a-z][a-z0-9+.-]*:\/\/([^/?#]*)(.*)$/is.exec(url) || [0, '', url]
  const [, path = '', query = ''] = /^([^?#]*)(?:\?([^#]*))?/.exec(rest) || []
  return {
    path: decodeOnce(path) || '/',
    query,
    host: host
      .slice(host.lastIndexOf('@') + 1)
      .replace(/:\d*$/, '')
      .toLowerCase(),
  }
}

/** Percent-decodes once: broken escapes stay as they are, broken UTF-8 becomes U+FFFD. */
export function decodeOnce(text: string): string {
  return text.replace(/(?:%[0-9a-f]{2})+/gi, (escapes) => {
    const bytes = escapes
      .slice(1)
      .split('%')
      .map((pair) => parseInt(pair, 16))
    return new TextDecoder('utf-8', { ignoreBOM: true }).decode(new Uint8Array(bytes))
  })
}

/** All parameters of a query, decoded (`+` is a space). @param query as written, without `?` */
export function queryParameters(query: string): URLSearchParams {
  // The added "?" keeps URLSearchParams from eating one that belongs to the query.
  return new URLSearchParams('?' + query)
}

/**
 * The value of a query parameter, decoded; the first where it is repeated.
 * @param query as written, without `?`
 * @param name exact
 * @returns null when the parameter is not there; an empty text when it is there and empty
 */
export function queryParameter(query: string, name: string): string | null {
  return queryParameters(query).get(name)
}
