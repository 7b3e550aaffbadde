import { quietly } from './quietly.js'

/** What a rehearsal keeps is apart: it must not use up limits of the person's own visits. */
const PREFIX = ACEQUIA_REHEARSAL ? 'acequia.rehearsal.' : 'acequia.'

/** Reads JSON from the browser's storage; undefined when there is none or it cannot be read. */
export const load = quietly(<T>(name: string, place: Storage = localStorage): T | undefined => {
  const text = place.getItem(PREFIX + name)
  return text ? (JSON.parse(text) as T) : undefined
}) as <T>(name: string, place?: Storage) => T | undefined

/** Keeps JSON in the browser's storage, where it lets us. */
export const save = quietly((name: string, value: unknown, place: Storage = localStorage): void => place.setItem(PREFIX + name, JSON.stringify(value)))

/** 128 random bits as 32 hexadecimal digits. `randomUUID` is missing on plain HTTP. */
export function randomId(): string {
  let id = ''
  for (const byte of crypto.getRandomValues(new Uint8Array(16))) id += byte.toString(16).padStart(2, '0')
  return id
}
