import { Pool } from 'undici'
import { createConnection } from 'mysql2/promise'
import { startChildServer } from './childServer.js'
import { batches, sender, sendAll } from './collector.js'
const rate = Number(process.env.RATE ?? 4000),
  seconds = Number(process.env.SECS ?? 120),
  warm = Number(process.env.WARM ?? 200_000)
const server = await startChildServer({ environment: { ACEQUIA_ROLE: 'collect,api' } })
const client = new Pool(server.url, { connections: 64, pipelining: 1 })
const key = await server.addSite()
const send = sender(client, key)
const db = await createConnection(server.mariaDb.url)
const status = async () =>
  Object.fromEntries(
    (
      (
        await db.query(
          "SHOW GLOBAL STATUS WHERE Variable_name IN ('Innodb_checkpoint_age','Innodb_buffer_pool_pages_dirty','Innodb_os_log_fsyncs','Innodb_buffer_pool_wait_free','Innodb_log_waits','Innodb_os_log_written','Innodb_data_writes')",
        )
      )[0] as any[]
    ).map((r) => [r.Variable_name.replace('Innodb_', ''), Number(r.Value)]),
  )
await sendAll(batches('warm', 20_000, 20), send)
let t0 = performance.now()
await sendAll(batches('fill', warm, 20), send)
console.log('usual', Math.round(warm / ((performance.now() - t0) / 1000)), 'events/s')
const p = (a: number[], q: number) => (a.length ? a[Math.ceil(a.length * q) - 1]!.toFixed(0) : '-')
let times: number[] = [],
  all: number[] = [],
  list: any[] = [],
  round = 0,
  sent = 0
const began = performance.now()
let nextPrint = 20
let before = await status()
const waiting = new Set<Promise<void>>()
while (performance.now() - began < seconds * 1000) {
  const due = Math.floor((rate * (performance.now() - began)) / 1000)
  while (sent < due) {
    if (!list.length) list = batches(`half-${round++}`, 400, 20)
    const b = list.pop()
    sent += b.events.length
    const one: Promise<void> = send(b)
      .then((ms: number) => void (times.push(ms), all.push(ms)))
      .finally(() => waiting.delete(one))
    waiting.add(one)
  }
  if ((performance.now() - began) / 1000 > nextPrint) {
    nextPrint += 20
    times.sort((a, b) => a - b)
    const s = await status()
    console.log(
      Math.round((performance.now() - began) / 1000),
      `med ${p(times, 0.5)} p90 ${p(times, 0.9)} p99 ${p(times, 0.99)} max ${p(times, 1)}`,
      `age ${Math.round(s.checkpoint_age / 1e6)}M dirty ${s.buffer_pool_pages_dirty} fsync/s ${((s.os_log_fsyncs - before.os_log_fsyncs) / 20).toFixed(0)} logMB/s ${((s.os_log_written - before.os_log_written) / 20e6).toFixed(1)} writes/s ${((s.data_writes - before.data_writes) / 20).toFixed(0)} logwaits ${s.log_waits} waitfree ${s.buffer_pool_wait_free}`,
    )
    before = s
    times = []
  }
  await new Promise((r) => setTimeout(r, 5))
}
await Promise.all(waiting)
all.sort((a, b) => a - b)
console.log(
  'ALL',
  `med ${p(all, 0.5)} p90 ${p(all, 0.9)} p99 ${p(all, 0.99)} max ${p(all, 1)}`,
  await (await fetch(server.url + '/metrics')).text().then((t) =>
    t
      .split('\n')
      .filter((l) => /commit_seconds_(sum|count)|events_written/.test(l))
      .join(' '),
  ),
)
await db.end()
await client.close()
await server.stop()
