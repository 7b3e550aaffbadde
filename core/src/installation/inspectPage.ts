/** What the survey found on one page. */
export interface SurveyedPage {
  url: string
  /** HTTP status; null when it could not be fetched. */
  status: number | null
  title: string | null
  /** Everything that is wrong with the loader there; `present` alone when nothing is. */
  findings: SurveyFinding[]
  /** What stood in the way, or keys and addresses that were found instead. */
  detail: string | null
}

/** One thing the survey says about the loader on a page. */
export type SurveyFinding = 'present' | 'missing' | 'twice' | 'wrong-key' | 'not-in-head' | 'old-address' | 'not-reached' | 'no-page' | 'not-allowed'

/** Words for each finding. */
export const FINDING_WORDS: Record<SurveyFinding, string> = {
  present: 'the loader is there',
  missing: 'the loader is missing',
  twice: 'the loader is there more than once',
  'wrong-key': 'a loader with another key',
  'not-in-head': 'the loader is not in the head, so short visits may be missed',
  'old-address': 'the loader is loaded from another address',
  'not-reached': 'could not be fetched',
  'no-page': 'is no HTML page',
  'not-allowed': 'robots.txt asks not to fetch it',
}

/** A script element of a page. */
export interface PageScript {
  src: string
  inHead: boolean
}

/**
 * Judges the loaders among a page's scripts.
 * @param origin where the loader should come from
 */
export function inspectPage(scripts: readonly PageScript[], origin: string, key: string): { findings: SurveyFinding[]; detail: string | null } {
  const loaders = scripts.flatMap(({ src, inHead }) => {
    const found = /^(https?:\/\/[^/?#]+|)\/l\/([a-z0-9]{6,24})\.js(?:[?#].*)?$/i.exec(src)
    return found ? [{ from: found[1] || origin, key: found[2], inHead }] : []
  })
  const own = loaders.filter((loader) => loader.key === key)
  const findings: SurveyFinding[] = []
  if (!loaders.length) findings.push('missing')
  if (own.length > 1) findings.push('twice')
  if (loaders.length > own.length) findings.push('wrong-key')
  if (own.some((loader) => loader.from !== origin)) findings.push('old-address')
  if (own.length && own.every((loader) => !loader.inHead)) findings.push('not-in-head')
  const detail = [
    ...loaders.filter((loader) => loader.key !== key).map((loader) => `key ${loader.key}`),
    ...own.filter((loader) => loader.from !== origin).map((loader) => `from ${loader.from}`),
  ]
  return { findings: findings.length ? findings : ['present'], detail: detail.join(', ') || null }
}
