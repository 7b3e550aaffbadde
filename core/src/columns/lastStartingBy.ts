/**
 * The last part that begins at or before a position, among parts in order: the visit of an event, the visitor of a visit.
 * @param starts where each part begins, ascending
 * @param from the first part in question, which begins at or before the position
 * @param to the end of those in question
 */
export function lastStartingBy(starts: Uint32Array, position: number, from: number, to: number): number {
  let [low, high] = [from, to - 1]
  while (low < high) {
    const middle = (low + high + 1) >> 1
    if ((starts[middle] as number) <= position) low = middle
    else high = middle - 1
  }
  return low
}
