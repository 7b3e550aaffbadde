import { createIsbotFromList, list } from 'isbot'

/**
 * What the common list also calls bots but a site's owner does not want dropped: a browser run by a
 * program, as in rehearsals and tests, and the HTTP libraries with which servers report events.
 */
const WELCOME = ['HeadlessChrome', 'node', 'undici', 'axios/1.0', 'python-requests/2', 'curl/8', 'Go-http-client/2', 'okhttp/4', 'Java/17']

const listed = new Set(WELCOME.flatMap((agent) => list.filter((pattern) => new RegExp(pattern, 'i').test(agent))))

const isListed = createIsbotFromList(list.filter((pattern) => !listed.has(pattern)))

/** Tells whether a user agent says of itself that it crawls sites, so that its visits are nobody's. */
export function isCrawler(userAgent: string | undefined): boolean {
  return !!userAgent && isListed(userAgent)
}
