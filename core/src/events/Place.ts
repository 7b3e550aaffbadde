/** Where an event came from and in which language, as far as that is known. */
export interface Place {
  /** ISO 3166, `ES`. */
  country: string | null
  region: string | null
  city: string | null
  /** The language the browser asks for first, without its region: `es`. */
  language: string | null
}

/** A place as dictionaries keep it; null where nothing is known. */
export function placeText({ country, region, city, language }: Place): string | null {
  return country || region || city || language ? JSON.stringify([country, region, city, language]) : null
}

/** The place that a dictionary's text stands for. */
export function placeFromText(text: string): Place {
  const [country = null, region = null, city = null, language = null] = JSON.parse(text) as (string | null)[]
  return { country, region, city, language }
}

/** The first language of an `Accept-Language` header, without region; browsers write the preferred one first. */
export function firstLanguage(header: string | undefined): string | null {
  return /^\s*([a-z]{2,3})(?=[-_,;\s]|$)/i.exec(header ?? '')?.[1]?.toLowerCase() ?? null
}
