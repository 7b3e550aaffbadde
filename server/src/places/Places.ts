import { createRequire } from 'node:module'
import type { IncomingMessage } from 'node:http'
import { firstLanguage, type Place } from '@acequia/core/events/Place'
import maxmind, { type Reader, type Response } from 'maxmind'

/** Where countries are looked up unless the operator has a database of their own. */
const SHIPPED = '@ip-location-db/geo-whois-asn-country-mmdb/geo-whois-asn-country.mmdb'

/** An entry of a database of places: the shipped one knows countries only, others may know more. */
interface Entry {
  country_code?: string
  country?: { iso_code?: string }
  subdivisions?: { names?: { en?: string } }[]
  city?: { names?: { en?: string } } | string
}

/** Tells where a request comes from. The network address is looked up in memory and goes nowhere else. */
export class Places {
  private constructor(private readonly reader: Reader<Response>) {}

  /**
   * Opens a database of places.
   * @param file an `.mmdb` of the operator's own; else the shipped one
   * @throws Error when the file cannot be read
   */
  static async open(file?: string): Promise<Places> {
    const path = file ?? createRequire(import.meta.url).resolve(SHIPPED)
    try {
      return new Places(await maxmind.open(path))
    } catch (error) {
      throw new Error(`The database of places ${path} cannot be read: ${(error as Error).message}`, { cause: error })
    }
  }

  /** The place of a network address, with the language its browser asks for first. */
  of(address: string | undefined, headers: IncomingMessage['headers']): Place {
    const found = address ? this.look(address.replace(/^::ffff:(?=\d+\.)/, '')) : null
    const city = typeof found?.city === 'string' ? found.city : found?.city?.names?.en
    return {
      country: found?.country?.iso_code ?? found?.country_code ?? null,
      region: found?.subdivisions?.[0]?.names?.en?.slice(0, 100) ?? null,
      city: city?.slice(0, 100) ?? null,
      language: firstLanguage(headers['accept-language']),
    }
  }

  private look(address: string): Entry | null {
    try {
      return this.reader.get(address) as Entry | null
    } catch {
      return null
    }
  }
}
