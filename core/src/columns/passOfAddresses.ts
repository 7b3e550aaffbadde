import { NO_VISIT, readEvent } from '../readings/readEvent.js'
import { asksForAddress } from '../rules/asksForAddress.js'
import { judge, type PreparedRule } from '../rules/judge.js'
import type { Columns } from './Columns.js'

/** 1 for each address that satisfies a rule. */
export type AddressPass = Uint8Array

/** Judges a rule for every address once; null where it asks for more than the address. */
export function passOfAddresses(rule: PreparedRule, { texts }: Columns): AddressPass | null {
  if (!asksForAddress(rule)) return null
  return Uint8Array.from(texts.addresses, (url) => (judge(rule, readEvent({ name: '', url }, NO_VISIT)) ? 1 : 0))
}
