import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { pino } from 'pino'
import { ColumnStore } from '../columns/ColumnStore.js'
import { Database } from '../database/Database.js'
import { startMariaDb, type EmbeddedMariaDb } from '../database/EmbeddedMariaDb.js'
import { migrate } from '../database/migrate.js'
import { Dictionaries } from '../dictionaries/Dictionaries.js'
import { EventWriter } from '../events/EventWriter.js'
import { addQuarters } from '../events/quarters.js'
import { Retention } from '../events/Retention.js'
import { Spool } from '../events/Spool.js'
import { LiveChanges } from '../live/LiveChanges.js'
import { People } from '../people/People.js'
import { Places } from '../places/Places.js'
import { SiteDirectory } from '../sites/SiteDirectory.js'
import { visitorsToDerive } from '../visits/partsTable.js'
import { Deriver } from '../visits/Deriver.js'
import { RecordedVisits } from '../visits/RecordedVisits.js'
import { LoaderDelivery } from '../wiring/LoaderDelivery.js'
import { Post } from '../mail/Post.js'
import { Surveyor } from '../survey/Surveyor.js'
import { stopBuilding } from '../wiring/buildLoader.js'
import type { Config } from './config.js'
import { createApp } from './createApp.js'
import { Metrics } from './Metrics.js'
import type { Services } from './Services.js'

/** A server that runs. */
export interface RunningServer {
  /** Where it listens: `http://127.0.0.1:4600`. */
  url: string
  services: Services
  /** The database it started itself, if it did. */
  mariaDb: EmbeddedMariaDb | undefined
  /** Stops taking requests, makes durable what was accepted, and stops what was started. */
  stop(): Promise<void>
}

/** So long may a statement of the collector take, in ms. */
const COLLECT_STATEMENT_MS = 15_000

const ROOT = fileURLToPath(new URL('../../..', import.meta.url))

/**
 * Starts database, collector, deriver and API in one process.
 * @param told is told what is being done, for people who wait
 * @throws Error when a part cannot start, with what to do
 */
export async function startServer(config: Config, told: (what: string) => void = () => undefined): Promise<RunningServer> {
  let mariaDb: EmbeddedMariaDb | undefined
  if (!config.databaseUrl) {
    told('Starting the database')
    mariaDb = await startMariaDb(config.dataFolder)
  }
  const log = pino({ level: config.logLevel }, pino.destination({ dest: 2, sync: true }))
  const databaseUrl = config.databaseUrl ?? (mariaDb as EmbeddedMariaDb).url
  const database = new Database(databaseUrl)
  const reads = config.databaseReadUrl === undefined ? database : new Database(config.databaseReadUrl)
  // Collecting has connections of its own: nothing else may keep it waiting, and a database that hangs is one that is away.
  const collecting = new Database(databaseUrl, { connections: 4, statementMs: COLLECT_STATEMENT_MS, several: true })
  const close = async (): Promise<void> => {
    for (const each of new Set([collecting, reads, database])) await each.close()
  }
  try {
    const applied = await migrate(database, join(ROOT, 'server/migrations'))
    if (applied.length) told(`Set up the database: ${applied.join(', ')}`)
    await Promise.all([...new Set([database, reads, collecting])].map((each) => each.now()))
    await addQuarters(database, Date.now())
    const dictionaries = new Dictionaries(database)
    const changes = new LiveChanges(database)
    const metrics = new Metrics()
    const deriver = new Deriver(database, dictionaries, changes, metrics, log)
    const spool = new Spool(join(config.dataFolder, 'spool'), config.spoolBytes)
    const writer = new EventWriter(collecting, new Dictionaries(collecting), spool, metrics, log, () => deriver.eventsCame())
    metrics.watch({ eventsWaiting: () => writer.queueLength, spoolBytes: () => spool.bytes, visitorsToDerive: () => visitorsToDerive(database) })
    const services: Services = {
      config,
      database,
      reads,
      metrics,
      dictionaries,
      changes,
      deriver,
      sites: new SiteDirectory(database),
      people: new People(database, config.token),
      writer,
      places: await Places.open(config.placesFile),
      columns: new ColumnStore(reads, dictionaries, new RecordedVisits(reads, dictionaries), config.dataFolder, config.columnsFrom),
      loader: new LoaderDelivery(database),
      post: new Post(config.smtpUrl, config.mailFrom),
      surveyor: new Surveyor(database),
    }
    const server = createServer(createApp(services, join(ROOT, 'web/dist'), log))
    await listen(server, config)
    const retention = new Retention(database, log)
    if (config.roles.has('derive')) {
      deriver.start()
      retention.start()
    }
    if (config.roles.has('api')) services.surveyor.start()
    const { port } = server.address() as AddressInfo
    return {
      url: `http://${config.host === '0.0.0.0' ? '127.0.0.1' : config.host}:${port}`,
      services,
      mariaDb,
      async stop() {
        await closeServer(server)
        changes.stop()
        retention.stop()
        await services.surveyor.stop()
        await services.columns.close()
        await services.writer.close()
        await deriver.stop()
        await close()
        await mariaDb?.stop()
        await stopBuilding()
      },
    }
  } catch (error) {
    await close().catch(() => undefined)
    await mariaDb?.stop()
    throw error
  }
}

function listen(server: Server, config: Config): Promise<void> {
  return new Promise((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(error.code === 'EADDRINUSE' ? new Error(`Port ${config.port} is taken; set ACEQUIA_PORT to another one.`) : error),
    )
    server.listen(config.port, config.host, resolve)
  })
}

function closeServer(server: Server): Promise<void> {
  return new Promise((resolve) => {
    server.close(() => resolve())
    server.closeIdleConnections()
    // Live streams never end by themselves.
    setTimeout(() => server.closeAllConnections(), 300).unref()
  })
}
