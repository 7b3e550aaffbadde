import { urlParts, type UrlParts } from './url.js'

/** A `urlParts` that remembers up to `most` addresses, for passes over many events of few pages. */
export function rememberingUrlParts(most = 50_000): (url: string) => UrlParts {
  const known = new Map<string, UrlParts>()
  return (url) => {
    let parts = known.get(url)
    if (!parts) {
      if (known.size >= most) known.clear()
      parts = urlParts(url)
      known.set(url, parts)
    }
    return parts
  }
}
