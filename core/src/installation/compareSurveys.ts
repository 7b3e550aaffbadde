import { FINDING_WORDS, type SurveyedPage } from './inspectPage.js'

/** What changed on one page between two surveys, in words. */
export interface SurveyDifference {
  url: string
  words: string
}

/** Pages on which something changed for the loader: lost, found again, new without it, gone. */
export function compareSurveys(before: readonly SurveyedPage[], now: readonly SurveyedPage[]): SurveyDifference[] {
  const old = new Map(before.map((page) => [page.url, page]))
  const known = new Set(now.map((page) => page.url))
  const words = (page: SurveyedPage): string => page.findings.map((each) => FINDING_WORDS[each]).join('; ')
  return [
    ...now.flatMap((page): SurveyDifference[] => {
      const was = old.get(page.url)
      if (!was) return page.findings.includes('present') ? [] : [{ url: page.url, words: `is new: ${words(page)}` }]
      return words(was) === words(page) ? [] : [{ url: page.url, words: `now: ${words(page)}; before: ${words(was)}` }]
    }),
    ...before.filter((page) => !known.has(page.url) && page.findings.includes('present')).map((page) => ({ url: page.url, words: 'was not found any more' })),
  ]
}
