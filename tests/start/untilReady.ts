import type { ChildProcess } from 'node:child_process'

/**
 * Waits until a server in a process of its own is ready.
 * @throws Error when it ends before, or is not ready within a minute
 */
export async function untilReady(url: string, child: ChildProcess): Promise<void> {
  for (let tries = 0; tries < 1200; tries++) {
    if (child.exitCode !== null) throw new Error(`The server ended with code ${child.exitCode}.`)
    const answer = await fetch(`${url}/readyz`).catch(() => null)
    if (answer?.ok) return
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
  throw new Error('The server was not ready within a minute.')
}
