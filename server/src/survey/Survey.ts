import { inspectPage, type SurveyedPage } from '@acequia/core/installation/inspectPage'
import { hostIsListed } from '@acequia/core/sites/hosts'
import * as cheerio from 'cheerio'
import { XMLParser } from 'fast-xml-parser'
import robotsParser, { type Robot } from 'robots-parser'
import { FetchError, publicFetch } from './publicFetch.js'

/** Pages fetched at the same time. */
const AT_ONCE = 4
/** Most sitemaps read. */
const MOST_SITEMAPS = 20
const AGENT = 'acequia'

/** What a survey goes over. */
export interface SurveyTask {
  /** Where it starts; its sitemap is read and its links are followed. */
  start: string
  /** Hosts of the site; other hosts are not visited. */
  hosts: readonly string[]
  origin: string
  key: string
  mostPages: number
}

/**
 * Goes over the pages of a site, from its sitemap and its links, as robots.txt allows, and hands over
 * what was found on each as soon as it is known.
 * @param found gets each page, and how many addresses still wait
 */
export async function survey(task: SurveyTask, found: (page: SurveyedPage, waiting: number) => Promise<void>, signal: AbortSignal): Promise<void> {
  const robots = new Map<string, Promise<Robot>>()
  const queue: string[] = []
  const known = new Set<string>()
  let taken = 0
  const add = (address: string, base?: string): void => {
    if (!URL.canParse(address, base)) return
    const url = new URL(address, base)
    url.hash = ''
    if (!/^https?:$/.test(url.protocol) || !hostIsListed(url.host, task.hosts) || known.has(url.href) || known.size >= task.mostPages * 3) return
    // Files are no pages.
    if (/\.(jpe?g|png|gif|svg|webp|avif|ico|css|m?js|json|pdf|zip|mp[34]|webm|woff2?|xml|txt|ics)$/i.test(url.pathname)) return
    known.add(url.href)
    queue.push(url.href)
  }
  add(task.start)
  for (const address of await sitemapAddresses(task, robots, signal)) add(address)

  const visit = async (address: string): Promise<SurveyedPage> => {
    const page: SurveyedPage = { url: address, status: null, title: null, findings: ['not-reached'], detail: null }
    try {
      if ((await robotsOf(address, task, robots, signal)).isAllowed(address, AGENT) === false) return { ...page, findings: ['not-allowed'] }
      const { url, status, type, text } = await publicFetch(address, task.hosts, signal)
      page.status = status
      if (!hostIsListed(new URL(url).host, task.hosts)) return { ...page, findings: ['no-page'], detail: `leads to ${new URL(url).host}` }
      if (!/html/i.test(type)) return { ...page, findings: ['no-page'], detail: type || null }
      const $ = cheerio.load(text)
      const scripts = $('script[src]')
        .toArray()
        .map((element) => ({ src: $(element).attr('src') ?? '', inHead: $(element).closest('head').length > 0 }))
      for (const element of $('a[href]').toArray()) add($(element).attr('href') ?? '', url)
      const title = $('title').first().text().replace(/\s+/g, ' ').trim().slice(0, 300) || null
      return { ...page, title, ...inspectPage(scripts, task.origin, task.key) }
    } catch (error) {
      if (signal.aborted) throw error
      return { ...page, detail: error instanceof FetchError ? error.message : 'the answer could not be read' }
    }
  }
  const work = async (): Promise<void> => {
    while (!signal.aborted && taken < task.mostPages) {
      const address = queue.shift()
      if (address === undefined) return
      taken++
      await found(await visit(address), Math.min(queue.length, task.mostPages - taken))
    }
  }
  // The first page alone, because the others come out of it where there is no sitemap.
  const first = queue.shift()
  if (first === undefined) return
  taken++
  await found(await visit(first), queue.length)
  while (queue.length && taken < task.mostPages && !signal.aborted) await Promise.all(Array.from({ length: AT_ONCE }, work))
}

function robotsOf(address: string, task: SurveyTask, known: Map<string, Promise<Robot>>, signal: AbortSignal): Promise<Robot> {
  const place = new URL('/robots.txt', address).href
  let robots = known.get(place)
  if (!robots) {
    robots = publicFetch(place, task.hosts, signal).then(
      ({ status, text, type }) => robotsParser(place, status === 200 && !/html/i.test(type) ? text : ''),
      () => robotsParser(place, ''),
    )
    known.set(place, robots)
  }
  return robots
}

async function sitemapAddresses(task: SurveyTask, robots: Map<string, Promise<Robot>>, signal: AbortSignal): Promise<string[]> {
  const named = (await robotsOf(task.start, task, robots, signal)).getSitemaps()
  const queue = named.length ? [...named] : [new URL('/sitemap.xml', task.start).href]
  const addresses: string[] = []
  const parser = new XMLParser({ processEntities: false, ignoreAttributes: true })
  for (let read = 0; queue.length && read < MOST_SITEMAPS && addresses.length < task.mostPages * 2; read++) {
    const place = queue.shift() as string
    try {
      const { status, text } = await publicFetch(place, task.hosts, signal)
      if (status !== 200) continue
      const { urlset, sitemapindex } = parser.parse(text) as { urlset?: { url?: unknown }; sitemapindex?: { sitemap?: unknown } }
      const locations = (list: unknown): string[] =>
        [list].flat().flatMap((entry) => ((entry as { loc?: unknown } | undefined)?.loc ? [String((entry as { loc: unknown }).loc).trim()] : []))
      queue.push(...locations(sitemapindex?.sitemap))
      addresses.push(...locations(urlset?.url))
    } catch {
      if (signal.aborted) break
    }
  }
  return addresses
}
