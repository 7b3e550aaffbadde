import { amountToNumber } from '@acequia/core/money/Amount'
import { urlParts } from '@acequia/core/readings/url'
import type { Dictionaries } from '../dictionaries/Dictionaries.js'
import { sourceFromText } from '../visits/deriveVisitors.js'
import type { ConversionRow } from './conversionsTable.js'

/** A conversion as answers carry it; `value` and `currency` as they came. */
export interface PresentedConversion {
  at: string
  visitor: string
  value: number
  currency: string
  order: string | null
  path: string
  source: string
  medium: string
  campaign: string | null
  uid: string
}

/** Turns rows into what answers carry, in the same order. */
export async function presentConversions(dictionaries: Dictionaries, rows: ConversionRow[]): Promise<PresentedConversion[]> {
  const addresses = await dictionaries.addresses.textsOf(rows.map((row) => row.address_id))
  const sources = await dictionaries.sources.textsOf(rows.map((row) => row.source_id))
  return rows.map((row) => {
    const { source, medium, campaign } = sourceFromText(sources.get(row.source_id) as string)
    return {
      at: new Date(row.at).toISOString(),
      visitor: row.visitor,
      value: amountToNumber(row.amount),
      currency: row.currency,
      order: row.order_ref,
      path: urlParts(addresses.get(row.address_id) ?? '').path,
      source,
      medium,
      campaign,
      uid: row.uid,
    }
  })
}
