import { queryParameter, urlParts } from '@acequia/core/readings/url'
import { config } from './config.js'
import { quietly } from './quietly.js'
import { load, save } from './storage.js'

type Kept = Record<string, { value: string; at: number }>

/** Keeps the click ids that this page's address carries, first-party, for as long as their channels ask. */
export const keepClickIds = quietly((keep: boolean): void => {
  const kept = load<Kept>('clicks') ?? {}
  let found = false
  for (const { parameter } of config.clicks) {
    const value = queryParameter(urlParts(location.href).query, parameter)
    if (!value) continue
    onPage[parameter] = value.slice(0, 500)
    kept[parameter] = { value: value.slice(0, 500), at: Date.now() }
    found = true
  }
  if (found && keep) save('clicks', kept)
})

/** Click ids of this very page's address, for browsers that may not keep them. */
const onPage: Record<string, string> = {}

/** The click id of a parameter: this page's, or one kept that is not too old. */
export function clickId(parameter: string): string | undefined {
  if (onPage[parameter]) return onPage[parameter]
  const kept = load<Kept>('clicks')?.[parameter]
  const days = config.clicks.find((each) => each.parameter === parameter)?.days ?? 0
  return kept && Date.now() - kept.at < days * 86_400_000 ? kept.value : undefined
}
