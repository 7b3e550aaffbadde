import type { Database } from '../database/Database.js'
import { Dictionary } from './Dictionary.js'

/** All dictionaries of one process. */
export class Dictionaries {
  readonly visitors: Dictionary
  readonly names: Dictionary
  readonly addresses: Dictionary
  readonly rests: Dictionary
  readonly titles: Dictionary
  readonly referrers: Dictionary
  readonly agents: Dictionary
  readonly places: Dictionary
  readonly sources: Dictionary
  readonly tagSets: Dictionary

  /** All of them, in the order in which new texts are added. */
  readonly all: readonly Dictionary[]

  constructor(database: Database) {
    this.visitors = new Dictionary(database, 'visitors')
    this.names = new Dictionary(database, 'event_names')
    this.addresses = new Dictionary(database, 'addresses')
    this.rests = new Dictionary(database, 'address_rests')
    this.titles = new Dictionary(database, 'titles')
    this.referrers = new Dictionary(database, 'referrers')
    this.agents = new Dictionary(database, 'agents')
    this.places = new Dictionary(database, 'places')
    this.sources = new Dictionary(database, 'sources')
    this.tagSets = new Dictionary(database, 'tag_sets')
    const { visitors, names, addresses, rests, titles, referrers, agents, places, sources, tagSets } = this
    this.all = [visitors, names, addresses, rests, titles, referrers, agents, places, sources, tagSets]
  }
}
