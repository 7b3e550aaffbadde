import type { Channel } from '../recipes/channelSchema.js'
import type { OwnReading, ReadingSource } from '../readings/ownReadingSchema.js'
import { opWords, readingWords } from './ruleSentence.js'

const SOURCE_WORDS: Record<ReadingSource['type'], string> = {
  element: "an element's text or attribute",
  field: 'a field of the form that was sent',
  query: 'an address parameter',
  'digital-data': 'a value of the digital data layer',
  global: "a value of the page's own scripts",
  data: 'what a signal carried',
  cookie: 'a cookie of the site',
  visit: 'something of the visit',
  click: "a channel's click id",
  table: 'another reading, translated by a table',
  constant: 'always the same',
}

/** All kinds of sources, the most frequent first. */
export const SOURCE_TYPES = Object.keys(SOURCE_WORDS) as ReadingSource['type'][]

/** The words for a kind of source, where the choice stands by itself. */
export function sourceWords(type: ReadingSource['type']): string {
  return SOURCE_WORDS[type]
}

/** Where a reading comes from and what is done to it, as plain text. */
export function readingSentence({ from, clean }: Pick<OwnReading, 'from' | 'clean'>, channels: readonly Channel[] = []): string {
  const cleaned = [
    clean.lowerCase && 'in lower case',
    clean.number && `as a number with a decimal ${clean.number === ',' ? 'comma' : 'point'}`,
    clean.otherwise && `or else “${clean.otherwise}”`,
  ].filter(Boolean)
  return [fromWords(from, channels), ...cleaned].join(', ')
}

function fromWords(from: ReadingSource, channels: readonly Channel[]): string {
  switch (from.type) {
    case 'query':
      return `the address parameter ${from.parameter}`
    case 'cookie':
      return `the cookie ${from.name}`
    case 'element':
      return from.attribute ? `the attribute ${from.attribute} of ${from.selector}` : `the text of ${from.selector}`
    case 'global':
      return `the page's ${from.path}`
    case 'digital-data':
      return `digitalData.${from.path}`
    case 'data':
      return `the datum ${from.name} of the event`
    case 'field':
      return `the field ${from.field} of the form that was sent`
    case 'constant':
      return `always “${from.value}”`
    case 'table':
      return `the ${readingWords(from.reading)}, translated: ${from.rows
        .slice(0, 3)
        .map((row) => `${opWords(row.op)} ${row.value} → ${row.result}`)
        .join('; ')}${from.rows.length > 3 ? ' …' : ''}`
    case 'visit':
      return `the ${from.what === 'landing' ? 'landing path' : from.what} of ${from.of === 'this' ? 'this visit' : "the browser's first visit"}`
    case 'click':
      return `the click id of ${channels.find((each) => each.id === from.channel)?.name ?? 'a channel that is gone'}`
  }
}
