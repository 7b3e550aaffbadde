/** Rows that each day has in sums by day. */
const SLOTS = 8

/** Which of a day's rows a transaction adds to: any of them, so that derivers seldom wait for each other. */
export function randomSlot(): number {
  return Math.floor(Math.random() * SLOTS)
}
