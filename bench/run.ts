import { readFileSync, writeFileSync } from 'node:fs'
import { cpus, totalmem } from 'node:os'
import { parseArgs } from 'node:util'
import { stopBuilding } from '../server/src/wiring/buildLoader.js'
import { application } from './application.js'
import { collector } from './collector.js'
import { columns } from './columns.js'
import { dryRun } from './dryRun.js'
import { growth } from './growth.js'
import { loaderSize } from './loaderSize.js'
import { live } from './live.js'
import { log } from './log.js'
import { pageLoad } from './pageLoad.js'
import type { Row } from './Row.js'

/** Everything that is measured, by name. */
const BENCHES: Record<string, () => Promise<Row[]>> = {
  'loader-size': loaderSize,
  'page-load': pageLoad,
  application,
  'dry-run': () => Promise.resolve(dryRun()),
  columns,
  collector: () => collector(),
  live,
  log: () => log(),
  growth,
}

/** `npm run bench`: measures each figure against its limit in the same run, prints them, and puts them into docs/bench.md. */
const today = new Date().toISOString().slice(0, 10)
const { values } = parseArgs({ options: { only: { type: 'string' } } })
const names = values.only ? [values.only] : Object.keys(BENCHES)
for (const name of names) {
  const bench = BENCHES[name]
  if (!bench) throw new Error(`There is no bench "${name}"; there are ${Object.keys(BENCHES).join(', ')}.`)
  console.log(`\n${name} …`)
  const before = stolen()
  const rows = await bench()
  const after = stolen()
  const share = (after.stolen - before.stolen) / Math.max(1, after.all - before.all)
  for (const row of rows)
    console.log(
      `${row.met ? '  ' : '! '}${row.what}: ${row.measured} against ${row.limit} (${row.ratio === null ? '–' : row.ratio.toFixed(2)}); ${row.spread}; target ${row.target}`,
    )
  const lines = rows.map(
    (row) =>
      `| ${row.what} | ${row.measured} | ${row.limit} | ${row.ratio === null ? '–' : row.ratio.toFixed(2)} | ${row.spread} | ${row.target} | ${row.met ? 'yes' : '**no**'} |`,
  )
  keepSection(
    name,
    `## ${name}\n\nOn ${today}; of the processors' time meanwhile, ${(100 * share).toFixed(1)} % went to other machines on the same host.\n\n| what | measured | against | ratio | spread | target | met |\n|---|---|---|---|---|---|---|\n${lines.join('\n')}\n`,
  )
}
await stopBuilding()

/** What the processors' time went to since the start (Linux' jiffies): what the host gave to others while somebody here waited for it, and all of it. */
function stolen(): { stolen: number; all: number } {
  const [, ...times] = readFileSync('/proc/stat', 'utf8').split('\n', 1)[0]?.split(/\s+/).map(Number) ?? []
  return { stolen: times[7] ?? 0, all: times.reduce((sum, each) => sum + each, 0) }
}

/** Puts one bench's table into docs/bench.md in place of its last one; the others stay as they were measured. */
function keepSection(name: string, section: string): void {
  const file = new URL('../docs/bench.md', import.meta.url)
  const known = new Map(
    readFileSync(file, 'utf8')
      .split(/^(?=## )/m)
      .slice(1)
      .map((text) => [/^## (\S+)/.exec(text)?.[1] ?? '', text.trimEnd() + '\n']),
  )
  known.set(name, section)
  const machine = `${cpus()[0]?.model.trim() ?? 'unknown processor'}, ${cpus().length} cores, ${Math.round(totalmem() / 1024 ** 3)} GiB, Node ${process.version}`
  const head = `# Figures\n\nMade by \`npm run bench\` on this machine: ${machine}. Each is held against its limit in the same run; \`npm run bench -- --only NAME\` renews one table.\n`
  writeFileSync(file, [head, ...Object.keys(BENCHES).flatMap((each) => known.get(each) ?? [])].join('\n'))
}
