import { collectDefaultMetrics, Gauge, Registry } from 'prom-client'
import { countMarks } from '../visits/marksTable.js'
import type { Services } from './Services.js'

/** What an operator watches, in Prometheus' text format. */
export function metricsOf({ database, writer }: Services): Registry {
  const registry = new Registry()
  collectDefaultMetrics({ register: registry, prefix: 'acequia_' })
  new Gauge({
    name: 'acequia_events_waiting',
    help: 'Events accepted but not yet written to the log',
    registers: [registry],
    collect() {
      this.set(writer.queueLength)
    },
  })
  new Gauge({
    name: 'acequia_visitors_to_derive',
    help: 'Visitors whose visits and conversions are out of date',
    registers: [registry],
    async collect() {
      this.set(await countMarks(database).catch(() => NaN))
    },
  })
  return registry
}
