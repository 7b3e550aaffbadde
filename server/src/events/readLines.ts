import type { Readable } from 'node:stream'

/** A line of a stream; null stands for one that is longer than allowed. */
export type Line = string | null

/** Thrown when a stream gives more bytes than allowed. */
export class TooManyBytesError extends Error {}

/**
 * Splits a stream into lines without holding more than one of them. Empty lines are passed over.
 * @throws TooManyBytesError after `most` bytes
 */
export async function* readLines(stream: Readable, most: number, longest: number): AsyncGenerator<Line> {
  let total = 0
  let parts: Buffer[] = []
  let length = 0
  const take = (): Line | undefined => {
    const line =
      length > longest
        ? null
        : Buffer.concat(parts)
            .toString('utf8')
            .replace(/^\ufeff/, '')
            .trim()
    parts = []
    length = 0
    return line === '' ? undefined : line
  }
  for await (const chunk of stream as AsyncIterable<Buffer>) {
    total += chunk.length
    if (total > most) throw new TooManyBytesError()
    let start = 0
    for (;;) {
      const end = chunk.indexOf(10, start)
      const piece = chunk.subarray(start, end < 0 ? chunk.length : end)
      length += piece.length
      if (length <= longest) parts.push(piece)
      if (end < 0) break
      const line = take()
      if (line !== undefined) yield line
      start = end + 1
    }
  }
  const line = take()
  if (line !== undefined) yield line
}
