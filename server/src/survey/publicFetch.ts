import { lookup } from 'node:dns/promises'
import { isIP } from 'node:net'
import { hostIsListed } from '@acequia/core/sites/hosts'
import { Agent, fetch, type Response } from 'undici'

/** Longest a page may take, in ms. */
const LONGEST_MS = 10_000
/** Largest page that is read, in bytes; what is behind it is not looked at. */
const LARGEST = 2 * 1024 ** 2
const MOST_REDIRECTS = 5

/** What was fetched. */
export interface Fetched {
  /** The address after redirects. */
  url: string
  status: number
  type: string
  text: string
  /** The policy the page is sent with, if any. */
  policy: string | null
}

/** Thrown for addresses that may not be fetched, and pages that cannot be. The message says why. */
export class FetchError extends Error {}

/**
 * Fetches an address that somebody typed or a page named: only http and https, only public networks
 * unless the host is one of the site's own, at most five redirects, each checked again. The name is
 * resolved once and that answer is used, so that it cannot change after the check.
 */
export async function publicFetch(address: string, ownHosts: readonly string[], signal: AbortSignal): Promise<Fetched> {
  let url = address
  for (let redirects = 0; redirects <= MOST_REDIRECTS; redirects++) {
    const answer = await fetchOnce(url, ownHosts, signal)
    const location = answer.headers.get('location')
    if (answer.status < 300 || answer.status >= 400 || !location)
      return {
        url,
        status: answer.status,
        type: answer.headers.get('content-type') ?? '',
        text: await textOf(answer),
        policy: answer.headers.get('content-security-policy'),
      }
    await answer.body?.cancel()
    if (!URL.canParse(location, url)) throw new FetchError('it redirects to something that is no address')
    url = new URL(location, url).href
  }
  throw new FetchError('it redirects in a circle')
}

async function fetchOnce(address: string, ownHosts: readonly string[], signal: AbortSignal): Promise<Response> {
  const url = new URL(address)
  if (!/^https?:$/.test(url.protocol)) throw new FetchError(`${url.protocol} is not fetched`)
  const name = url.hostname.replace(/^\[|\]$/g, '')
  const resolved = await resolve(name)
  if (!hostIsListed(url.host, ownHosts) && resolved.some(({ address: each }) => !isPublic(each))) throw new FetchError('it leads into a private network')
  const [pinned] = resolved
  if (!pinned) throw new FetchError('its host has no address')
  const dispatcher = new Agent({
    connect: { lookup: (_host, _options, callback) => callback(null, [{ address: pinned.address, family: pinned.family }]) },
    headersTimeout: LONGEST_MS,
    bodyTimeout: LONGEST_MS,
    connections: 1,
  })
  try {
    return await fetch(url, {
      dispatcher,
      redirect: 'manual',
      signal: AbortSignal.any([signal, AbortSignal.timeout(LONGEST_MS)]),
      headers: {
        'user-agent': 'Acequia survey (asked for by the owner of this site)',
        accept: 'text/html,application/xhtml+xml,application/xml;q=0.9,text/plain;q=0.5',
      },
    })
  } catch (error) {
    if (signal.aborted) throw error
    const { cause, message } = error as { cause?: { code?: string; message?: string }; message: string }
    throw new FetchError(cause?.code === 'ECONNREFUSED' ? 'nothing answers there' : (cause?.message ?? message))
  }
}

async function resolve(name: string): Promise<{ address: string; family: number }[]> {
  if (isIP(name)) return [{ address: name, family: isIP(name) }]
  // RFC 6761: these names are this very machine, whatever a resolver says.
  if (/(^|\.)localhost$/i.test(name)) return [{ address: '127.0.0.1', family: 4 }]
  try {
    return await lookup(name, { all: true })
  } catch {
    throw new FetchError('its host is not known')
  }
}

/** Whether an IP address belongs to the public internet. */
export function isPublic(address: string): boolean {
  const mapped = /^::ffff:(\d+\.\d+\.\d+\.\d+)$/i.exec(address)?.[1]
  if (isIP(address) === 4 || mapped) {
    const [a = 0, b = 0] = (mapped ?? address).split('.').map(Number)
    return !(
      a === 0 ||
      a === 10 ||
      a === 127 ||
      (a === 100 && b >= 64 && b < 128) ||
      (a === 169 && b === 254) ||
      (a === 172 && b >= 16 && b < 32) ||
      (a === 192 && (b === 168 || b === 0)) ||
      (a === 198 && (b === 18 || b === 19)) ||
      a >= 224
    )
  }
  return /^2[0-9a-f]{3}:|^3[0-9a-f]{3}:/i.test(address) && !/^2001:(0{0,3}[:0]|db8)/i.test(address) && !/^2002:/i.test(address)
}

async function textOf(answer: Response): Promise<string> {
  const chunks: Uint8Array[] = []
  let size = 0
  for await (const chunk of answer.body ?? []) {
    chunks.push(chunk as Uint8Array)
    size += (chunk as Uint8Array).length
    if (size > LARGEST) break
  }
  return Buffer.concat(chunks).subarray(0, LARGEST).toString('utf8')
}
