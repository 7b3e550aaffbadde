import { counted, percent, type Check } from './Check.js'

const some = (urls: readonly string[]): string[] => [...urls.slice(0, 4), ...(urls.length > 4 ? [`and ${urls.length - 4} more`] : [])]

/** Pages without the loader. */
export const pagesWithoutLoader: Check = ({ pages }) => {
  const missing = (pages ?? []).filter((page) => page.findings.includes('missing') || page.findings.includes('wrong-key')).map((page) => page.url)
  return missing.length
    ? [
        {
          id: 'pages-without-loader',
          weight: 'loss',
          sentence: `${missing.length === 1 ? 'One page has' : `${missing.length} pages have`} no loader of this site: visits there are not seen.`,
          evidence: some(missing),
          mend: { type: 'open', label: 'See the survey', screen: 'site' },
        },
      ]
    : []
}

/** Pages with the loader more than once. */
export const loaderTwice: Check = ({ pages }) => {
  const twice = (pages ?? []).filter((page) => page.findings.includes('twice')).map((page) => page.url)
  return twice.length
    ? [
        {
          id: 'loader-twice',
          weight: 'notice',
          sentence: `The loader is on ${counted(twice.length, 'page')} more than once. It works once, but the second costs time.`,
          evidence: some(twice),
          mend: { type: 'open', label: 'See the survey', screen: 'site' },
        },
      ]
    : []
}

/** Events that came from hosts which do not belong to the site. */
export const unknownHosts: Check = ({ refusedHosts, site }) =>
  refusedHosts.map(({ host, events }) => ({
    id: `unknown-host ${host}`,
    weight: 'warning',
    sentence: `Events come from ${host}, which is not one of the site’s hosts; they are refused.`,
    evidence: [`${counted(events, 'request')} in 30 days.`],
    mend: { type: 'settings', label: `Add ${host} to the site`, settings: { hosts: [...site.hosts, host] } },
  }))

/** A host that sends many visitors and has no source rule. */
export const largeReferrer: Check = ({ traffic }) =>
  traffic.referrers
    .filter(({ visits }) => visits >= 30 && visits >= traffic.visits * 0.05)
    .map(({ host, visits }) => ({
      id: `large-referrer ${host}`,
      weight: 'notice',
      sentence: `${host} sends many visitors, and no source rule says what it is.`,
      evidence: [`${counted(visits, 'visit')} in 30 days, ${percent(visits, traffic.visits)} of all, count as “${host} / referral”.`],
      mend: { type: 'open', label: 'Add a source rule', screen: 'site-settings' },
    }))

/** Visits that an advertisement brought, but whose address does not say so in a way that counts. */
export const untaggedCampaign: Check = ({ traffic, recipes, site }) =>
  traffic.untagged
    .filter(({ visits }) => visits >= 5)
    .map(({ parameter, visits, path }) => {
      const clickId = recipes.find((recipe) => recipe.clickId?.parameter === parameter)?.clickId
      return {
        id: `untagged-campaign ${parameter}`,
        weight: 'warning' as const,
        sentence: clickId
          ? `Visits with the click id “${parameter}” count as direct or referred, because the site does not know it.`
          : `Visits carry “${parameter}” but no utm_source, so their campaign is lost.`,
        evidence: [`${counted(visits, 'visit')} in 30 days, for example on ${path}.`],
        mend: clickId
          ? {
              type: 'settings' as const,
              label: `Count them as ${clickId.source} / ${clickId.medium}`,
              settings: { clickIds: [...site.clickIds, { parameter, source: clickId.source, medium: clickId.medium }] },
            }
          : { type: 'open' as const, label: 'See which addresses', screen: 'site' as const },
      }
    })

/** E-mail addresses where none should be. */
export const personalData: Check = ({ traffic }) =>
  traffic.personal.map(({ place, events, path }) => ({
    id: `personal-data ${place}`.slice(0, 190),
    weight: 'loss',
    sentence: `E-mail addresses of visitors were recorded in ${place}.`,
    evidence: [`${counted(events, 'event')} in 30 days, for example on ${path}.`],
    mend: { type: 'open', label: 'See what the site sends', screen: 'site' },
  }))

/** A channel that says something else than what was counted. */
export const claimDiffers: Check = ({ claims, channels, claimShare }) =>
  claims.flatMap(({ channel: id, claimed, counted: ours }) => {
    const channel = channels.find((each) => each.id === id)
    if (!channel || Math.max(claimed, ours) < 10 || Math.abs(claimed - ours) <= ours * claimShare) return []
    return [
      {
        id: `claim-differs ${id}`,
        weight: 'notice' as const,
        sentence: `${channel.name} reports ${claimed > ours ? 'more' : 'fewer'} conversions than were counted here.`,
        evidence: [`It says ${claimed.toLocaleString('en')}, we told it of ${ours.toLocaleString('en')} in the same days.`],
        mend: { type: 'open' as const, label: 'See its figures', screen: 'channels' as const },
      },
    ]
  })
