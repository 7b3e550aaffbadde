// Installs what is missing and builds what is old. Plain JavaScript, because it runs before any package is there.
import { spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs'
import { delimiter, join } from 'node:path'
import { fileURLToPath } from 'node:url'

export const root = fileURLToPath(new URL('..', import.meta.url))

const PROGRAMS = { 'mariadb-server': 'mariadbd', chromium: 'chromium' }

/** Whether a program can be found. Debian keeps servers in sbin, which is not in everybody's PATH. */
function isInstalled(program) {
  return [...(process.env.PATH ?? '').split(delimiter), '/usr/sbin', '/usr/bin'].some((folder) => existsSync(join(folder, program)))
}

function run(command, args, env = {}) {
  const done = spawnSync(command, args, { cwd: root, stdio: ['ignore', 'inherit', 'inherit'], env: { ...process.env, ...env } })
  if (done.status !== 0) throw new Error(`This failed: ${command} ${args.join(' ')}`)
}

function installDebianPackages(packages) {
  const missing = packages.filter((name) => !isInstalled(PROGRAMS[name]))
  if (!missing.length) return
  const command = `apt-get install -y ${missing.join(' ')}`
  if (process.getuid?.() !== 0 || !isInstalled('apt-get')) throw new Error(`Some programs are missing. On Debian, this installs them:\n\n  sudo ${command}\n`)
  console.log(`Installing ${missing.join(' and ')} …`)
  const quiet = { DEBIAN_FRONTEND: 'noninteractive' }
  run('apt-get', ['update', '-qq'], quiet)
  run('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...missing], quiet)
}

/** A word that changes when any of these files does. */
function fingerprint(paths) {
  const hash = createHash('sha256')
  const visit = (path) => {
    const { isDirectory, size, mtimeMs } = { ...statSync(path), isDirectory: statSync(path).isDirectory() }
    if (!isDirectory) return void hash.update(`${path} ${size} ${mtimeMs}\n`)
    for (const name of readdirSync(path).sort()) if (name !== 'node_modules' && name !== 'dist') visit(join(path, name))
  }
  for (const path of paths) if (existsSync(join(root, path))) visit(join(root, path))
  return hash.digest('hex')
}

/** Does a thing only when what it depends on changed since it was last done. */
function whenChanged(name, word, done, work) {
  const stamp = join(root, '.build', name)
  if (done() && existsSync(stamp) && readFileSync(stamp, 'utf8') === word) return
  work()
  mkdirSync(join(root, '.build'), { recursive: true })
  writeFileSync(stamp, word)
}

/** Makes the checkout ready to run; quick when nothing is missing. */
export function prepare(debianPackages) {
  const [major = 0, minor = 0] = process.versions.node.split('.').map(Number)
  if (major < 20 || (major === 20 && minor < 19)) throw new Error(`Acequia needs Node 20.19 or later; this is ${process.version}.`)
  process.env.PATH = [process.env.PATH, '/usr/sbin', '/usr/bin'].join(delimiter)
  installDebianPackages(debianPackages)
  const lock = createHash('sha256')
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex')
  whenChanged(
    'packages',
    lock,
    () => existsSync(join(root, 'node_modules/tsx')),
    () => {
      console.log('Installing packages …')
      run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'])
    },
  )
  const sources = fingerprint(['core/src', 'web/src', 'web/index.html', 'web/vite.config.ts', 'scripts/build.ts', 'package-lock.json'])
  whenChanged(
    'build',
    sources,
    () => existsSync(join(root, 'web/dist/index.html')),
    () => {
      console.log('Building …')
      run('npm', ['run', '--silent', 'build'])
    },
  )
}

/** Ends with a message instead of a stack where something that people can mend went wrong. */
export function orExplain(work) {
  try {
    return work()
  } catch (error) {
    console.error(`\n${error.message}`)
    process.exit(1)
  }
}
