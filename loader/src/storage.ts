import { quietly } from './quietly.js'

/** Reads JSON from the browser's storage; undefined when there is none or it cannot be read. */
export const load = quietly(<T>(name: string): T | undefined => {
  const text = localStorage.getItem('acequia.' + name)
  return text ? (JSON.parse(text) as T) : undefined
}) as <T>(name: string) => T | undefined

/** Keeps JSON in the browser's storage, where it lets us. */
export const save = quietly((name: string, value: unknown): void => localStorage.setItem('acequia.' + name, JSON.stringify(value)))

/** 128 random bits as 32 hexadecimal digits. `randomUUID` is missing on plain HTTP. */
export function randomId(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, '0')).join('')
}
