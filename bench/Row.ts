/** One measured figure, held against its limit of the same run. */
export interface Row {
  what: string
  /** What was measured, with its unit. */
  measured: string
  /** What it is held against, measured in the same run. */
  limit: string
  /** The one by the other; what it must not exceed is in `target`. */
  ratio: number | null
  /** How far single runs lay apart, as a text. */
  spread: string
  target: string
  met: boolean
}

/** The middle of some numbers. */
export function median(numbers: number[]): number {
  const sorted = [...numbers].sort((a, b) => a - b)
  const middle = sorted.length >> 1
  return sorted.length % 2 ? (sorted[middle] as number) : ((sorted[middle - 1] as number) + (sorted[middle] as number)) / 2
}

/** What nineteen of twenty do not exceed. */
export function p95Of(numbers: number[]): number {
  return [...numbers].sort((a, b) => a - b)[Math.ceil(numbers.length * 0.95) - 1] as number
}

/** From the lowest to the highest of some numbers, in words. */
export function spreadOf(numbers: number[], unit: string, digits = 1): string {
  return `${Math.min(...numbers).toFixed(digits)} to ${Math.max(...numbers).toFixed(digits)} ${unit}, ${numbers.length} runs`
}
