/** One thing that a stand-in received. */
export interface LedgerEntry {
  /** ms since 1970. */
  at: number
  account: string
  /** What was reported: the name of the base pixel, or the event's. */
  what: string
  worth: string
  currency: string
  order: string
  /** The click id that came along. */
  click: string
  page: string
  /** How it came: `script`, `image` or `request`. */
  by: string
  /** Why it was refused, if it was. */
  problem?: string
}

const MOST = 2000

/** What a stand-in received, newest first, as long as the demo runs. */
export class Ledger {
  private entries: LedgerEntry[] = []

  /** Notes an entry. */
  add(entry: LedgerEntry): void {
    this.entries = [entry, ...this.entries].slice(0, MOST)
  }

  /** All entries, newest first. */
  list(): readonly LedgerEntry[] {
    return this.entries
  }
}
