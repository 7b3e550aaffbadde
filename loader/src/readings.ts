import { cleanText, LONGEST_READING } from '@acequia/core/readings/cleanText'
import { readEvent, type Reader } from '@acequia/core/readings/readEvent'
import { tableResult } from '@acequia/core/readings/tableResult'
import { queryParameter, urlParts } from '@acequia/core/readings/url'
import { sha256 } from '@acequia/core/text/sha256'
import type { LoaderReading } from '@acequia/core/wiring/LoaderConfig'
import { clickId } from './clickIds.js'
import { config } from './config.js'
import type { PageEvent } from './PageEvent.js'
import { quietly } from './quietly.js'
import { findAll } from './roots.js'
import { load } from './storage.js'
import type { KeptVisit } from './visit.js'

/** Largest data of one event that own readings may add to, in characters. */
const ROOM = 3000

/**
 * Reads an event, the marketer's own readings included. Those are taken when first asked for, and
 * kept in the event's data, so that the log holds what rules were judged by.
 */
export function readerOf(event: PageEvent, visit: KeptVisit, form?: HTMLFormElement): Reader {
  // Hundreds of rules ask for the same few readings of the same event.
  const known = new Map<string, string | undefined>()
  const readAnew = readEvent(event, visit.source)
  const read: Reader = (name) => {
    if (name.startsWith('own.')) return readAnew(name)
    if (!known.has(name)) known.set(name, readAnew(name))
    return known.get(name)
  }
  if (!ACEQUIA_READINGS) return read
  const taken: Record<string, true> = {}
  const all: Reader = (name) => {
    const own = name.startsWith('own.') && !taken[name] && config.readings.find((each) => each.name === name.slice(4))
    if (own) {
      taken[name] = true
      const text = cleanText(quietly(raw)(own, event, visit, form, all), own.clean)
      const data = (event.data ??= {})
      delete data[name]
      if (text !== undefined && JSON.stringify(data).length + text.length < ROOM) data[name] = text
    }
    return read(name)
  }
  for (const { name, always } of config.readings) if (always) all('own.' + name)
  return all
}

function raw({ from }: LoaderReading, event: PageEvent, visit: KeptVisit, form: HTMLFormElement | undefined, read: Reader): string | undefined {
  switch (from.type) {
    case 'query':
      return queryParameter(urlParts(event.url).query, from.parameter) ?? undefined
    case 'cookie': {
      const found = document.cookie.split(/;\s*/).find((each) => each.slice(0, each.indexOf('=')) === from.name)
      return found && decodeURIComponent(found.slice(found.indexOf('=') + 1))
    }
    case 'element': {
      const [element] = findAll(from.selector)
      if (!element || isSecret(element)) return undefined
      return (from.attribute ? element.getAttribute(from.attribute) : element.textContent)?.slice(0, LONGEST_READING * 4)
    }
    case 'global':
      return reach(window, from.path)
    case 'digital-data':
      return reach((window as { digitalData?: unknown }).digitalData, from.path)
    case 'data': {
      const value = event.data?.[from.name]
      return value === undefined ? undefined : String(value)
    }
    case 'field':
      return ACEQUIA_FIELDS ? fieldText(form, from.field) : undefined
    case 'constant':
      return from.value
    case 'table':
      return ACEQUIA_TABLES ? tableResult(from, read(from.reading)) : undefined
    case 'visit': {
      const of = from.of === 'this' ? visit : (load<KeptVisit>('first') ?? visit)
      return (from.what === 'landing' ? of.landing : of.source[from.what]) ?? undefined
    }
    case 'click':
      return ACEQUIA_CLICK_IDS ? clickId(from.parameter) : undefined
  }
}

/** A text, number or boolean reached by a path of names; anything else is absent. */
function reach(start: unknown, path: string): string | undefined {
  let here = start
  for (const name of path.replace(/\[(\d+)\]/g, '.$1').split('.')) here = (here as Record<string, unknown> | null | undefined)?.[name]
  return typeof here === 'string' || typeof here === 'number' || typeof here === 'boolean' ? String(here) : undefined
}

/** Fields whose values are never read, whatever somebody asks for. */
function isSecret(element: Element): boolean {
  const { type, autocomplete } = element as HTMLInputElement
  return type === 'password' || /^(cc-|.*-password|one-time-code)/.test(autocomplete ?? '')
}

/** The value of a field; never of a password or card, and of e-mail addresses only the SHA-256. */
function fieldText(form: HTMLFormElement | undefined, name: string): string | undefined {
  const fields = form ? [...form.elements].filter((each) => each.getAttribute('name') === name || each.id === name) : []
  const chosen = fields.filter((each) => !/^(radio|checkbox)$/.test((each as HTMLInputElement).type) || (each as HTMLInputElement).checked)
  const [field] = chosen as HTMLInputElement[]
  if (!field || isSecret(field)) return undefined
  const value = field.value.trim()
  // Sixteen digits or so are a card's number, whatever the field is called.
  if (/^(\d[ -]?){13,19}$/.test(value)) return undefined
  return field.type === 'email' || /^[^\s@]+@[^\s@]+\.[^\s@]+$/.test(value) ? sha256(value.toLowerCase()) : value
}
