import { urlParts } from '../readings/url.js'
import type { Columns } from './Columns.js'

/** The path of an address by its number. */
export function pathOf(columns: Columns, id: number): string {
  return urlParts(columns.texts.addresses[id] as string).path
}
