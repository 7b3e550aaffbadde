/** One thing that a stand-in received. */
export interface LedgerEntry {
  /** ms since 1970. */
  at: number
  account: string
  /** What was reported: `seen` for the base pixel, else the event's name. */
  what: string
  worth: string
  currency: string
  order: string
  page: string
  /** `script` or `image`. */
  by: string
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
