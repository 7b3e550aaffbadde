import { writeFileSync } from 'node:fs'
import { cpus, totalmem } from 'node:os'
import { parseArgs } from 'node:util'
import { stopBuilding } from '../server/src/wiring/buildLoader.js'
import { collector } from './collector.js'
import { columns } from './columns.js'
import { dryRun } from './dryRun.js'
import { loaderSize } from './loaderSize.js'
import { live } from './live.js'
import { log } from './log.js'
import { pageLoad } from './pageLoad.js'
import type { Row } from './Row.js'

/** Everything that is measured, by name. */
const BENCHES: Record<string, () => Promise<Row[]>> = {
  'loader-size': loaderSize,
  'page-load': pageLoad,
  'dry-run': () => Promise.resolve(dryRun()),
  columns,
  collector: () => collector(),
  live,
  log: () => log(),
}

/** `npm run bench`: measures each figure against its limit in the same run, prints them, and writes docs/bench.md. */
const { values } = parseArgs({ options: { only: { type: 'string' } } })
const names = values.only ? [values.only] : Object.keys(BENCHES)
const sections: string[] = []
for (const name of names) {
  const bench = BENCHES[name]
  if (!bench) throw new Error(`There is no bench "${name}"; there are ${Object.keys(BENCHES).join(', ')}.`)
  console.log(`\n${name} …`)
  const rows = await bench()
  for (const row of rows)
    console.log(
      `${row.met ? '  ' : '! '}${row.what}: ${row.measured} against ${row.limit} (${row.ratio === null ? '–' : row.ratio.toFixed(2)}); ${row.spread}; target ${row.target}`,
    )
  const lines = rows.map(
    (row) =>
      `| ${row.what} | ${row.measured} | ${row.limit} | ${row.ratio === null ? '–' : row.ratio.toFixed(2)} | ${row.spread} | ${row.target} | ${row.met ? 'yes' : '**no**'} |`,
  )
  sections.push(`## ${name}\n\n| what | measured | against | ratio | spread | target | met |\n|---|---|---|---|---|---|---|\n${lines.join('\n')}\n`)
}
if (!values.only) {
  const machine = `${cpus()[0]?.model.trim() ?? 'unknown processor'}, ${cpus().length} cores, ${Math.round(totalmem() / 1024 ** 3)} GiB, Node ${process.version}`
  const head = `# Figures\n\nMade by \`npm run bench\` on ${new Date().toISOString().slice(0, 10)}: ${machine}. Each is held against its limit in the same run on the same machine.\n`
  writeFileSync(new URL('../docs/bench.md', import.meta.url), [head, ...sections].join('\n'))
}
await stopBuilding()
