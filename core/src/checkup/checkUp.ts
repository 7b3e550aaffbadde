import type { Check, CheckupInput } from './Check.js'
import { WEIGHTS, type Finding } from './Finding.js'
import { fellToZero, hardlyAccepted, orderNumbers, reachedWithoutStep, reloadsCount, worthNothing } from './goalChecks.js'
import { firesOnLanding, matchesEverything, missesNarrowly, neverHolds, noLongerSeen, selectorMatchesNothing } from './ruleChecks.js'
import { claimDiffers, largeReferrer, loaderTwice, pagesWithoutLoader, personalData, unknownHosts, untaggedCampaign } from './siteChecks.js'
import {
  baseMissing,
  consentMissing,
  idMissing,
  oldDraft,
  reportedTwice,
  tagThrows,
  tagWithoutTrigger,
  triggerWithoutTag,
  valueMissing,
} from './wiringChecks.js'

const CHECKS: Check[] = [
  neverHolds,
  matchesEverything,
  firesOnLanding,
  baseMissing,
  idMissing,
  reportedTwice,
  missesNarrowly,
  tagWithoutTrigger,
  valueMissing,
  consentMissing,
  fellToZero,
  reachedWithoutStep,
  reloadsCount,
  orderNumbers,
  worthNothing,
  hardlyAccepted,
  personalData,
  pagesWithoutLoader,
  unknownHosts,
  tagThrows,
  noLongerSeen,
  selectorMatchesNothing,
  untaggedCampaign,
  largeReferrer,
  claimDiffers,
  loaderTwice,
  triggerWithoutTag,
  oldDraft,
]

/** Everything that is wrong or suspicious with a site, heaviest first. */
export function checkUp(input: CheckupInput): Finding[] {
  const findings = CHECKS.flatMap((check) => check(input))
  return findings.sort((a, b) => WEIGHTS.indexOf(a.weight) - WEIGHTS.indexOf(b.weight))
}
