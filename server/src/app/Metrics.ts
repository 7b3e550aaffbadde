import { collectDefaultMetrics, Counter, Gauge, Histogram, Registry } from 'prom-client'

/** What is looked at when somebody asks, rather than noted as it happens. */
export interface Looks {
  eventsWaiting: () => number
  spoolBytes: () => number
  visitorsToDerive: () => Promise<number>
}

const SECONDS = [0.001, 0.0025, 0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10, 30, 60]

/** What an operator watches, in Prometheus' text format: queues, lag, times. Nothing in it tells of a person. */
export class Metrics {
  private readonly registry = new Registry()
  /** How long a transaction of the collector took, in seconds. */
  readonly commitSeconds = this.seconds('acequia_commit_seconds', 'Transactions that write events, in seconds')
  readonly eventsWritten = new Counter({
    name: 'acequia_events_written_total',
    help: 'Events added to the log',
    registers: [this.registry],
  })
  readonly eventsSpooled = new Counter({
    name: 'acequia_events_spooled_total',
    help: 'Events written to disk because the database was away',
    registers: [this.registry],
  })
  readonly derivedVisitors = new Counter({ name: 'acequia_derived_visitors_total', help: 'Visitors derived', registers: [this.registry] })
  /** From the moment a visitor was marked until its rows were replaced. */
  readonly derivationLag = this.seconds(
    'acequia_derivation_lag_seconds',
    'From the event until visits and conversions of its visitor are up to date, in seconds',
  )
  readonly requestSeconds = this.seconds('acequia_request_seconds', 'Requests by route and status, in seconds', ['method', 'route', 'status'])

  /** Says how what is looked at only when asked is found. */
  watch({ eventsWaiting, spoolBytes, visitorsToDerive }: Looks): void {
    collectDefaultMetrics({ register: this.registry, prefix: 'acequia_' })
    const gauge = (name: string, help: string, look: () => number | Promise<number>): void => {
      new Gauge({
        name,
        help,
        registers: [this.registry],
        async collect() {
          this.set(await look())
        },
      })
    }
    gauge('acequia_events_waiting', 'Events accepted but not yet written to the log', eventsWaiting)
    gauge('acequia_spool_bytes', 'Bytes on disk that wait for the database', spoolBytes)
    gauge('acequia_visitors_to_derive', 'Visitors whose visits and conversions are out of date; where very many just did something, not all are counted', () =>
      visitorsToDerive().catch(() => NaN),
    )
  }

  private seconds<Label extends string>(name: string, help: string, labelNames: Label[] = []): Histogram<Label> {
    return new Histogram({ name, help, labelNames, buckets: SECONDS, registers: [this.registry] })
  }

  /** All of it as text, with its content type. */
  async text(): Promise<{ type: string; text: string }> {
    return { type: this.registry.contentType, text: await this.registry.metrics() }
  }
}
