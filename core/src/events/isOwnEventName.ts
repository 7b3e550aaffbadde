/** Event names that only Acequia gives; the site's signals and the marketer's own events may not use them. */
const OWN =
  /^(page-view|address-change|form-(sent|accepted)|element-seen|click|scrolled|time-spent|video-watched|goal-reached|relay-passed|all-happened|visitor-known|order-(cancelled|refunded)|fired-later|tag-failed)$/

/** Tells whether Acequia records events of this name itself. */
export function isOwnEventName(name: string): boolean {
  return OWN.test(name)
}
