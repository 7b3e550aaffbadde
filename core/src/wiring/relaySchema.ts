import * as z from 'zod'

/** Longest that a relay link may hold a visitor, in ms. */
export const LONGEST_RELAY = 5000

/** An address of ours that counts, fires tags and passes the visitor on to one of its targets. */
export const relaySchema = z.object({
  name: z
    .string()
    .trim()
    .regex(/^[a-z0-9][a-z0-9-]{0,59}$/, 'A relay link is named with lower-case letters, digits and "-", such as lodge.'),
  /** Where it may lead; the first is where it leads unless `?to=` names another of them exactly. */
  targets: z
    .array(
      z
        .string()
        .trim()
        .max(2000)
        .regex(/^https?:\/\/[^\s/?#@]+([/?#]\S*)?$/i, 'A target is a whole address that begins with https:// or http://.'),
    )
    .min(1, 'Say where it leads.')
    .max(20),
  /** Parameters of the relay link that are carried on to the target. */
  carry: z.array(z.string().trim().min(1).max(100)).max(50).default([]),
  /** Longest that tags may hold the visitor, in ms. */
  waitMs: z.number().int().min(0).max(LONGEST_RELAY).default(800),
  note: z.string().max(5000).optional(),
})

export type Relay = z.output<typeof relaySchema>

/**
 * Where a relay link leads for what its address says: one of its own targets and never another place,
 * with the parameters it may carry added (the first value of each; a parameter the target has stays).
 * @param asked parameters of the relay link as they came
 */
export function relayTarget(relay: Relay, asked: URLSearchParams): string {
  const target = relay.targets.find((each) => each === asked.get('to')) ?? (relay.targets[0] as string)
  const url = new URL(target)
  for (const name of relay.carry) {
    const value = asked.get(name)
    if (value !== null && !url.searchParams.has(name)) url.searchParams.append(name, value)
  }
  return url.href
}
