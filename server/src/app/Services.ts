import type { ColumnStore } from '../columns/ColumnStore.js'
import type { Database } from '../database/Database.js'
import type { Dictionaries } from '../dictionaries/Dictionaries.js'
import type { EventWriter } from '../events/EventWriter.js'
import type { LiveChanges } from '../live/LiveChanges.js'
import type { People } from '../people/People.js'
import type { Places } from '../places/Places.js'
import type { SiteDirectory } from '../sites/SiteDirectory.js'
import type { Deriver } from '../visits/Deriver.js'
import type { LoaderDelivery } from '../wiring/LoaderDelivery.js'
import type { Post } from '../mail/Post.js'
import type { Surveyor } from '../survey/Surveyor.js'
import type { Config } from './config.js'
import type { Metrics } from './Metrics.js'

/** What the parts of one running server share. */
export interface Services {
  config: Config
  database: Database
  /** Where reports read: a replica, or the same database. */
  reads: Database
  metrics: Metrics
  dictionaries: Dictionaries
  sites: SiteDirectory
  people: People
  writer: EventWriter
  deriver: Deriver
  changes: LiveChanges
  places: Places
  columns: ColumnStore
  loader: LoaderDelivery
  post: Post
  surveyor: Surveyor
}
