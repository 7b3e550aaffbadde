import { mkdir, open, readdir, rename, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { deserialize, serialize } from 'node:v8'
import { EVENT_COLUMNS, VISIT_COLUMNS, type Columns } from '@acequia/core/columns/Columns'

/** Which log a segment was made of. */
export interface SegmentStamp {
  siteId: number
  /** Visits depend on the site's settings. */
  revision: number
  /** Every event up to this number is in it. */
  afterId: number
}

const ARRAYS = [...EVENT_COLUMNS, ...VISIT_COLUMNS, 'visitStart', 'visitorStart', 'visitorId', 'at', 'value'] as const
/** Raised when columns change their shape, so that old segments are made anew. */
const SHAPE = 2

interface Head {
  shape: number
  stamp: SegmentStamp
  counts: Pick<Columns, 'events' | 'visits' | 'visitors'>
  texts: Columns['texts']
  lengths: Record<(typeof ARRAYS)[number], number>
}

const nameOf = ({ siteId, revision }: Pick<SegmentStamp, 'siteId' | 'revision'>): string => `site-${siteId}-${revision}.columns`

/** Writes columns to a file of their own, whole or not at all. Older ones of the site go. */
export async function saveSegment(folder: string, stamp: SegmentStamp, columns: Columns): Promise<void> {
  await mkdir(folder, { recursive: true })
  const { events, visits, visitors, texts } = columns
  const lengths = Object.fromEntries(ARRAYS.map((name) => [name, columns[name].byteLength])) as Head['lengths']
  const head = serialize({ shape: SHAPE, stamp, counts: { events, visits, visitors }, texts, lengths } satisfies Head)
  const place = join(folder, nameOf(stamp))
  const file = await open(`${place}.new`, 'w')
  try {
    const size = Buffer.alloc(8)
    size.writeDoubleLE(head.length)
    await file.write(size)
    await file.write(head)
    for (const name of ARRAYS) {
      const { buffer, byteOffset, byteLength } = columns[name]
      for (let start = 0; start < byteLength; start += 1 << 26)
        await file.write(Buffer.from(new Uint8Array(buffer, byteOffset + start, Math.min(1 << 26, byteLength - start))))
    }
    await file.sync()
  } finally {
    await file.close()
  }
  await rename(`${place}.new`, place)
  for (const other of await readdir(folder))
    if (other.startsWith(`site-${stamp.siteId}-`) && other !== nameOf(stamp)) await rm(join(folder, other), { force: true })
}

/** Reads a site's columns back into shared memory; null where there are none, or none of these settings. */
export async function loadSegment(folder: string, siteId: number, revision: number): Promise<{ stamp: SegmentStamp; columns: Columns } | null> {
  const file = await open(join(folder, nameOf({ siteId, revision })), 'r').catch(() => null)
  if (!file) return null
  try {
    const size = Buffer.alloc(8)
    await file.read(size, 0, 8, 0)
    const head = Buffer.alloc(size.readDoubleLE())
    await file.read(head, 0, head.length, 8)
    const { shape, stamp, counts, texts, lengths } = deserialize(head) as Head
    if (shape !== SHAPE) return null
    let position = 8 + head.length
    const arrays: Partial<Record<(typeof ARRAYS)[number], Uint32Array | Float64Array>> = {}
    const chunk = Buffer.alloc(1 << 24)
    for (const name of ARRAYS) {
      const shared = new SharedArrayBuffer(Math.max(8, lengths[name]))
      const bytes = new Uint8Array(shared)
      for (let done = 0; done < lengths[name];) {
        const { bytesRead } = await file.read(chunk, 0, Math.min(chunk.length, lengths[name] - done), position)
        if (!bytesRead) return null
        bytes.set(chunk.subarray(0, bytesRead), done)
        done += bytesRead
        position += bytesRead
      }
      arrays[name] = name === 'at' || name === 'value' ? new Float64Array(shared, 0, lengths[name] / 8) : new Uint32Array(shared, 0, lengths[name] / 4)
    }
    return { stamp, columns: { ...counts, ...(arrays as unknown as Omit<Columns, 'events' | 'visits' | 'visitors' | 'texts'>), texts } }
  } catch {
    // A damaged segment is as good as none.
    return null
  } finally {
    await file.close()
  }
}
