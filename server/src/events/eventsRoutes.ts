import { createGunzip } from 'node:zlib'
import { pipeline } from 'node:stream'
import { importedEventSchema, LARGEST_BODY, type ImportedEvent } from '@acequia/core/events/eventSchema'
import { badInput, Problem } from '../api/Problem.js'
import { rangeOn, rangeQuery } from '../api/rangeQuery.js'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { EventLog } from './EventLog.js'
import { eventsInRange, type EventRow } from './eventsTable.js'
import { CannotStoreError, TooBusyError, type IncomingEvent } from './EventWriter.js'
import { readLines, TooManyBytesError, type Line } from './readLines.js'

/** Largest import, unpacked. */
const LARGEST_IMPORT = 256 * 1024 ** 2
const LINES_AT_ONCE = 1000
const MOST_REJECTS_LISTED = 100

/** Importing and exporting the event log as NDJSON. */
export function eventsRoutes(services: Services): Route[] {
  const { reads, dictionaries, writer } = services
  const log = new EventLog(reads, dictionaries)
  return [
    siteRoute('owner', {
      method: 'post',
      path: '/sites/{key}/events:import',
      summary: 'Import events, one a line; those already known are left as they are',
      streams: 'application/x-ndjson',
      handle: async ({ site, request }) => {
        if (!request.is(['application/x-ndjson', 'application/ndjson', 'application/jsonl']))
          throw badInput([{ path: '', message: 'Send events as application/x-ndjson, one JSON object a line.' }])
        const encoding = request.headers['content-encoding'] ?? 'identity'
        if (encoding !== 'gzip' && encoding !== 'identity')
          throw badInput([{ path: '', message: 'Send the lines as they are or with Content-Encoding: gzip.' }])
        const stream = encoding === 'gzip' ? pipeline(request, createGunzip(), () => undefined) : request
        const result = { accepted: 0, known: 0, rejected: [] as { line: number; message: string }[], rejectedLines: 0 }
        let waiting: IncomingEvent[] = []
        let number = 0
        const flush = async (): Promise<void> => {
          if (!waiting.length) return
          const { accepted, known } = await writer.store({ siteId: site.id, events: waiting })
          result.accepted += accepted
          result.known += known
          waiting = []
        }
        try {
          for await (const line of readLines(stream, LARGEST_IMPORT, LARGEST_BODY)) {
            number++
            const read = readImported(line)
            if ('message' in read) {
              result.rejectedLines++
              if (result.rejected.length < MOST_REJECTS_LISTED) result.rejected.push({ line: number, message: read.message })
            } else waiting.push(read)
            if (waiting.length >= LINES_AT_ONCE) await flush()
          }
          await flush()
        } catch (error) {
          const kept = `The ${result.accepted + result.known} events before it were stored; importing the rest again is safe.`
          if (error instanceof TooManyBytesError) throw new Problem('too-large', `An import is at most 256 MiB unpacked. ${kept}`)
          if (error instanceof TooBusyError) throw new Problem('too-many', `${error.message} ${kept}`)
          if (error instanceof CannotStoreError) throw new Problem('unavailable', `${error.message} ${kept}`)
          if ((error as { code?: string }).code?.startsWith('Z_')) throw badInput([{ path: '', message: `The gzip data is broken. ${kept}` }])
          throw error
        }
        return result
      },
    }),
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/events',
      summary: 'Export the events of a range as NDJSON, ordered by time and uid',
      query: rangeQuery,
      handle: async ({ site, query, response }) => {
        const { from, to } = rangeOn(site, query)
        response.type('application/x-ndjson')
        let rows: EventRow[] = []
        const flush = async (): Promise<void> => {
          const visitors = await dictionaries.visitors.textsOf(rows.map((row) => row.visitor_id))
          const events = await log.decode(rows)
          const text = events.map(({ addressId: _, place, ...event }, index) => {
            const row = rows[index] as EventRow
            const line = {
              visitor: visitors.get(row.visitor_id),
              ...event,
              at: new Date(event.at).toISOString(),
              country: place?.country ?? undefined,
              region: place?.region ?? undefined,
              city: place?.city ?? undefined,
              language: place?.language ?? undefined,
            }
            return JSON.stringify(line) + '\n'
          })
          rows = []
          if (!response.write(text.join(''))) await new Promise((resolve) => response.once('drain', resolve).once('close', resolve))
        }
        for await (const row of eventsInRange(reads, site.id, from, to)) {
          rows.push(row)
          if (rows.length >= 2000) await flush()
          if (response.destroyed) return
        }
        await flush()
        response.end()
      },
    }),
  ]
}

function readImported(line: Line): IncomingEvent | { message: string } {
  if (line === null) return { message: `A line is at most ${LARGEST_BODY} bytes.` }
  let given: unknown
  try {
    given = JSON.parse(line)
  } catch {
    return { message: 'This is no JSON object.' }
  }
  const parsed = importedEventSchema.safeParse(given)
  if (!parsed.success) {
    const [issue] = parsed.error.issues
    return { message: `${issue?.path.map(String).join('.') ?? ''}: ${issue?.message ?? 'not right'}`.replace(/^: /, '') }
  }
  const { visitor, userAgent, country, region, city, language, ...event }: ImportedEvent = parsed.data
  return { visitor, event, userAgent, place: { country: country ?? null, region: region ?? null, city: city ?? null, language: language ?? null } }
}
