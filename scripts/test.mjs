// `npm test`: installs what is missing, checks types, order and tests, and closes with one line of counts.
import { spawnSync } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { orExplain, prepare, root } from './prepare.mjs'

orExplain(() => prepare(['mariadb-server', 'chromium']))

let passed = 0
let failed = 0

/** Runs one check of the whole project and counts it as a test. */
function check(name, command, args) {
  console.log(`\n${name} …`)
  const done = spawnSync(command, args, { cwd: root, stdio: ['ignore', 'inherit', 'inherit'] })
  if (done.status === 0) passed++
  else {
    failed++
    console.error(`${name}: failed`)
  }
}

check('Types', 'npm', ['run', '--silent', 'typecheck'])
check('Order (ESLint, Prettier, knip)', 'npm', ['run', '--silent', 'lint'])

const report = join(root, '.build', 'tests.json')
mkdirSync(join(root, '.build'), { recursive: true })
rmSync(report, { force: true })
console.log('\nTests …')
const args = ['vitest', 'run', '--reporter=default', '--reporter=json', `--outputFile.json=${report}`, ...process.argv.slice(2)]
const run = spawnSync('npx', args, { cwd: root, stdio: ['ignore', 'inherit', 'inherit'] })
try {
  const { numPassedTests, numFailedTests } = JSON.parse(readFileSync(report, 'utf8'))
  passed += numPassedTests
  failed += numFailedTests
  // A file that could not even be loaded has no failed test of its own.
  if (run.status !== 0 && numFailedTests === 0) failed++
} catch {
  failed++
}
console.log(`\n${passed} passed, ${failed} failed`)
process.exit(failed ? 1 : 0)
