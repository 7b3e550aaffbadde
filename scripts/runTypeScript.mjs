import { spawn } from 'node:child_process'
import { join } from 'node:path'
import { root } from './prepare.mjs'

/**
 * How Node runs our programs. A larger space for what lives shortly (MB): a collector makes and forgets so much that
 * cleaning up the usual 16 MB every few ms made one answer in a hundred wait three times as long.
 */
export const NODE_FLAGS = ['--max-semi-space-size=64', '--import', 'tsx']

/** Runs a TypeScript program of ours as a child, passing signals on, and ends with its exit code. */
export function runTypeScript(file, args) {
  const child = spawn(process.execPath, [...NODE_FLAGS, join(root, file), ...args], { cwd: root, stdio: 'inherit' })
  // Ctrl+C reaches the child by itself; it says when it is done.
  process.on('SIGINT', () => undefined)
  for (const signal of ['SIGTERM', 'SIGHUP']) process.on(signal, () => child.kill(signal))
  child.on('exit', (code, signal) => process.exit(code ?? (signal ? 1 : 0)))
}
