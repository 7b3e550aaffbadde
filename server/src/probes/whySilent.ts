import { FINDING_WORDS, inspectPage } from '@acequia/core/installation/inspectPage'
import { policyAllows } from '@acequia/core/installation/policyAllows'
import * as cheerio from 'cheerio'
import type { Site } from '../sites/sitesTable.js'
import { FetchError, publicFetch } from '../survey/publicFetch.js'
import type { Probe } from './probesTable.js'

/** One thing that was tried, and what came of it. */
interface Tried {
  tried: string
  found: string
  /** Whether this may be why the page does not answer. */
  suspicious: boolean
}

const LONGEST_MS = 8000

/** Looks for reasons why a watched page does not answer: fetches it from here and looks at what it sends. */
export async function whySilent(site: Site, probe: Probe, origin: string): Promise<Tried[]> {
  const asked: Tried = probe.asked_at
    ? {
        tried: 'Waited for the page to ask for its script',
        found: 'It did, so the loader is there; then nothing more came. A script error or a closed tab?',
        suspicious: false,
      }
    : { tried: 'Waited for the page to ask for its script', found: 'It never did.', suspicious: true }
  let page: Awaited<ReturnType<typeof publicFetch>>
  try {
    page = await publicFetch(probe.address, site.settings.hosts, AbortSignal.timeout(LONGEST_MS))
  } catch (error) {
    const found = error instanceof FetchError ? `It could not be fetched: ${error.message}.` : 'It did not answer in time.'
    return [asked, { tried: `Fetched ${probe.address} from here`, found, suspicious: true }]
  }
  const $ = cheerio.load(page.text)
  const scripts = $('script[src]')
    .toArray()
    .map((element) => ({ src: $(element).attr('src') ?? '', inHead: $(element).closest('head').length > 0 }))
  const { findings, detail } = inspectPage(scripts, origin, site.key)
  const meta = $('meta[http-equiv="Content-Security-Policy" i]').attr('content')
  const policies = [page.policy, meta].filter((each) => each !== null && each !== undefined)
  const blocking = policies.find((policy) => !policyAllows(policy, origin))
  const good = findings.every((each) => each === 'present' || each === 'not-in-head')
  return [
    asked,
    {
      tried: `Fetched ${probe.address} from here`,
      found: `It answered ${page.status}${page.url === probe.address ? '' : ` at ${page.url}`}.`,
      suspicious: page.status >= 400,
    },
    {
      tried: 'Looked for the loader in it',
      found: `${findings.map((each) => FINDING_WORDS[each]).join('; ')}${detail ? ` (${detail})` : ''}.`,
      suspicious: !good,
    },
    {
      tried: 'Read its Content-Security-Policy',
      found: blocking ? `It keeps scripts of ${origin} out: ${blocking.slice(0, 300)}` : policies.length ? 'It lets the loader in.' : 'It sends none.',
      suspicious: blocking !== undefined,
    },
    ...(good && !blocking && !probe.asked_at
      ? [{ tried: 'What is left', found: 'The page is fine as sent. The tab was closed, or an extension of this browser blocks the loader.', suspicious: true }]
      : []),
  ]
}
