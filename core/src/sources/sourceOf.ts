import { queryParameters, urlParts } from '../readings/url.js'
import { hostIsListed, hostMatches, plainHost } from '../sites/hosts.js'

/** Where a visit came from. Missing campaign, content and term are null. */
export interface VisitSource {
  /** How it is known: a click id or UTM parameters, another site's link, or nothing. */
  kind: 'campaign' | 'referral' | 'direct'
  source: string
  medium: string
  campaign: string | null
  content: string | null
  term: string | null
}

/** The settings of a site that decide over sources. */
export interface SourceSettings {
  hosts: readonly string[]
  passThroughHosts: readonly string[]
  sourceRules: readonly { host: string; source: string; medium: string }[]
  clickIds: readonly { parameter: string; source: string; medium: string }[]
}

/**
 * The source that an event by itself speaks of, from its address and referrer (contract "Visits"):
 * click id, else UTM parameters, else a foreign referrer, else direct.
 */
export function sourceOf(event: { url: string; referrer?: string | null | undefined }, site: SourceSettings): VisitSource {
  const campaign = campaignOf(event.url, site)
  if (campaign) return campaign
  const rest = { campaign: null, content: null, term: null }
  const host = plainHost(event.referrer ? urlParts(event.referrer).host : '')
  if (host && !hostIsListed(host, site.hosts) && !hostIsListed(host, site.passThroughHosts)) {
    const rule = site.sourceRules.find((each) => hostMatches(host, each.host))
    return { kind: 'referral', source: rule ? rule.source : host, medium: rule ? rule.medium : 'referral', ...rest }
  }
  return { kind: 'direct', source: 'direct', medium: 'none', ...rest }
}

/** The campaign an address carries, or null when it carries none. */
export function campaignOf(url: string, site: Pick<SourceSettings, 'clickIds'>): VisitSource | null {
  // Asked of every page view, and most have no query at all.
  if (!url.includes('?')) return null
  const { query } = urlParts(url)
  if (!query) return null
  const parameters = queryParameters(query)
  const utm = (name: string): string | null => (parameters.get('utm_' + name) ?? '').trim().toLowerCase() || null
  const click = site.clickIds.find((each) => parameters.get(each.parameter))
  const source = click ? click.source : utm('source')
  if (!source) return null
  const medium = click ? click.medium : (utm('medium') ?? 'unknown')
  return { kind: 'campaign', source, medium, campaign: utm('campaign'), content: utm('content'), term: utm('term') }
}
