import type { Progress } from '../sites/currentSite'

/** A station of the work, in the order in which it is done. */
export interface Station {
  route: string
  /** Other screens that belong to it. */
  also?: string[]
  name: string
  reach: 'Lay' | 'Prove' | 'Measure'
  /** What is still lacking there, in a few words; null when nothing is. */
  lacks: (progress: Progress) => string | null
}

/** All stations that exist. */
export const STATIONS: Station[] = [
  { route: 'site', also: ['site-settings'], name: 'Site', reach: 'Lay', lacks: (progress) => (progress.events ? null : 'no event has come yet') },
  { route: 'channels', name: 'Channels', reach: 'Lay', lacks: (progress) => (progress.channels ? null : 'no channel yet') },
  {
    route: 'wiring',
    also: ['trigger', 'tag', 'new-release', 'reading', 'relays', 'wiring-file', 'dry-run'],
    name: 'Wiring',
    reach: 'Lay',
    lacks: (progress) => (progress.tags ? null : 'no tag yet'),
  },
  { route: 'rehearsal', also: ['kept-rehearsal'], name: 'Rehearsal', reach: 'Prove', lacks: () => null },
  { route: 'releases', name: 'Releases', reach: 'Prove', lacks: (progress) => (progress.release === null ? 'nothing is live yet' : null) },
  { route: 'checkup', name: 'Checkup', reach: 'Prove', lacks: () => null },
  { route: 'today', name: 'Today', reach: 'Measure', lacks: () => null },
  {
    route: 'goals',
    also: ['goal', 'new-goal', 'edit-goal', 'elsewhere'],
    name: 'Goals',
    reach: 'Measure',
    lacks: (progress) => (progress.goals ? null : 'no goal yet'),
  },
  { route: 'funnels', also: ['funnel'], name: 'Funnels', reach: 'Measure', lacks: () => null },
]
