import { ALWAYS } from '@acequia/core/days/Range'
import { CLAIM_SHARE, type ChannelClaim } from '@acequia/core/checkup/Check'
import { checkUp } from '@acequia/core/checkup/checkUp'
import type { Finding } from '@acequia/core/checkup/Finding'
import { CHECKED_DAYS, SiteTraffic } from '@acequia/core/checkup/SiteTraffic'
import { addDays, calendarOf } from '@acequia/core/days/zone'
import { FiredCount } from '@acequia/core/wiring/FiredCount'
import { wiringDifferences } from '@acequia/core/wiring/wiringDifferences'
import * as z from 'zod'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { claimsSince } from '../channels/claimsTable.js'
import { goalsOfSites } from '../goals/goalsTable.js'
import type { Site } from '../sites/sitesTable.js'
import { pagesOfSurvey, surveysOfSite } from '../survey/surveysTable.js'
import { documentOf } from '../wiring/documentOf.js'
import { draftOf } from '../wiring/draftsTable.js'
import { releaseOf } from '../wiring/releasesTable.js'
import { acceptedOf, acceptFinding, refusedHostsOf, unacceptFinding } from './checkupTables.js'

/** What is wrong or suspicious, and what of it somebody accepted. */
export function checkupRoutes(services: Services): Route[] {
  const { database } = services
  return [
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/checkup',
      summary: 'Everything wrong or suspicious with a site, heaviest first, each with one action that mends it',
      query: z.object({ claimShare: z.coerce.number().min(0).max(10).default(CLAIM_SHARE) }),
      handle: async ({ site, query }) => {
        const [findings, accepted] = await Promise.all([findingsOf(services, site, query.claimShare), acceptedOf(database, site.id)])
        const reasons = new Map(accepted.map((each) => [each.finding, each]))
        return findings.map((finding) => {
          const known = reasons.get(finding.id)
          return { ...finding, accepted: known ? { reason: known.reason, by: known.accepted_by, at: new Date(known.accepted_at).toISOString() } : null }
        })
      },
    }),
    siteRoute('editor', {
      method: 'put',
      path: '/sites/{key}/checkup:accept',
      summary: 'Accept a finding as it is, with the reason; without a reason it is taken back',
      body: z.object({ id: z.string().min(1).max(200), reason: z.string().trim().max(1000) }),
      handle: async ({ site, actor, body }) => {
        if (body.reason) await acceptFinding(database, site.id, body.id, body.reason, actor.name)
        else await unacceptFinding(database, site.id, body.id)
      },
    }),
  ]
}

/** Runs the checkup on a site. */
async function findingsOf(services: Services, site: Site, claimShare: number): Promise<Finding[]> {
  const { columns, database } = services
  const now = Date.now()
  const calendar = calendarOf(site.settings.timeZone)
  const [draft, live, stored, [survey], refusedHosts] = await Promise.all([
    draftOf(database, site.id),
    releaseOf(database, site.id),
    goalsOfSites(database, [site.id]),
    surveysOfSite(database, site.id, 1),
    refusedHostsOf(database, site.id, now - CHECKED_DAYS * 86_400_000),
  ])
  const { channels, recipes } = await documentOf(database, site.id, draft.wiring, database.pool)
  const awaited = new Set(draft.wiring.triggers.flatMap(({ moment }) => (moment.type === 'goal' ? [moment.goal] : [])))
  const goals = stored.filter(({ id, archivedAt }) => archivedAt === null || awaited.has(id)).map(({ id, goal }) => ({ id, goal }))
  const claims = await claimsSince(database, site.id, addDays(calendar.dayOf(now), -CHECKED_DAYS))
  const gather = new SiteTraffic(
    site.settings,
    draft.wiring,
    goals,
    recipes.flatMap((recipe) => (recipe.clickId ? [recipe.clickId.parameter] : [])),
    now,
  )
  const [firstDay, lastDay] = [claims[0]?.day, claims[claims.length - 1]?.day]
  const fired = new FiredCount({ from: firstDay ? calendar.startOfDay(firstDay) : 0, to: lastDay ? calendar.startOfDay(addDays(lastDay, 1)) : 0 }, calendar)
  await columns.each(site, ALWAYS, ({ visitor, visits }) => {
    gather.addVisitor(visitor, visits)
    if (claims.length) fired.add(visits)
  })
  const differs = live && wiringDifferences(live.document.wiring, draft.wiring, { channels, currency: site.settings.currency }).length > 0
  return checkUp({
    now,
    site: site.settings,
    wiring: draft.wiring,
    draftChangedAt: differs ? draft.changedAt : null,
    live: live?.document.wiring ?? null,
    liveSince: live?.released_at ?? null,
    channels,
    recipes,
    goals,
    pages: survey && survey.state !== 'running' ? await pagesOfSurvey(database, survey.id) : null,
    refusedHosts,
    claims: channels.flatMap((channel): ChannelClaim[] => {
      const own = claims.filter((claim) => claim.channel_id === channel.id)
      if (!own.length) return []
      const days = new Set(own.map((claim) => claim.day))
      const tags = [...draft.wiring.tags, ...(live?.document.wiring.tags ?? [])].filter(
        ({ does }) => does.type === 'channel-event' && does.call === 'event' && does.channel === channel.id,
      )
      const counted = [...new Set(tags.map((tag) => tag.id))]
        .flatMap((id) => [...(fired.tags.get(id)?.daily ?? [])])
        .reduce((sum, [day, n]) => sum + (days.has(day) ? n : 0), 0)
      return [{ channel: channel.id, claimed: own.reduce((sum, claim) => sum + claim.conversions, 0), counted }]
    }),
    claimShare,
    traffic: gather.result(),
  })
}
