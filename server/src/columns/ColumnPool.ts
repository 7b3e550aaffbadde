import { availableParallelism } from 'node:os'
import { fileURLToPath } from 'node:url'
import { Worker } from 'node:worker_threads'
import type { Columns } from '@acequia/core/columns/Columns'
import { build } from 'esbuild'
import type { ColumnAnswers, ColumnJob } from './ColumnJob.js'

/** Threads that share one site's columns, each answering for its part of the visitors. */
export class ColumnPool {
  private readonly parts: { from: number; to: number }[]
  private readonly waiting = new Map<number, { resolve: (answer: never) => void; reject: (error: Error) => void }>()
  private last = 0
  private idle: (() => void) | undefined
  /** Why no question is answered any more; null while all is well. */
  failed: Error | null = null

  private constructor(
    columns: Columns,
    private readonly workers: Worker[],
  ) {
    this.parts = divide(columns, workers.length)
    for (const worker of workers) {
      worker.on('message', ({ id, answer, error }: { id: number; answer: never; error?: string }) => {
        const waits = this.waiting.get(id)
        this.waiting.delete(id)
        if (error === undefined) waits?.resolve(answer)
        else waits?.reject(new Error(error))
        if (!this.waiting.size) this.idle?.()
      })
      worker.on('error', (error: Error) => this.fail(error))
    }
  }

  /** Starts the threads. @param threads as many as the machine has, if not given */
  static async start(columns: Columns, threads = availableParallelism()): Promise<ColumnPool> {
    const code = await workerCode()
    return new ColumnPool(
      columns,
      Array.from({ length: threads }, () => new Worker(code, { eval: true, workerData: columns })),
    )
  }

  /**
   * Has every thread answer for its part.
   * @param skip 1 for visitors to leave out
   */
  run<J extends ColumnJob>(job: J, skip?: Uint8Array): Promise<ColumnAnswers[J['type']][]> {
    if (this.failed) return Promise.reject(this.failed)
    return Promise.all(
      this.workers.map(
        (worker, index) =>
          new Promise<ColumnAnswers[J['type']]>((resolve, reject) => {
            const id = ++this.last
            this.waiting.set(id, { resolve: resolve as never, reject })
            worker.postMessage({ id, part: { ...this.parts[index], ...(skip && { skip }) }, job })
          }),
      ),
    )
  }

  /** Ends the threads once everything asked is answered. Ask nothing afterwards. */
  async close(): Promise<void> {
    if (this.waiting.size) await new Promise<void>((resolve) => (this.idle = resolve))
    await Promise.all(this.workers.map((worker) => worker.terminate()))
  }

  private fail(error: Error): void {
    this.failed = error
    for (const { reject } of this.waiting.values()) reject(error)
    this.waiting.clear()
    this.idle?.()
  }
}

let built: Promise<string> | undefined

/** The worker as plain JavaScript: threads know nothing of TypeScript, and helpers that keep names of functions cost more than the counting. */
function workerCode(): Promise<string> {
  built ??= build({
    entryPoints: [fileURLToPath(new URL('./columnWorker.ts', import.meta.url))],
    bundle: true,
    platform: 'node',
    format: 'cjs',
    target: 'node20',
    write: false,
    logLevel: 'silent',
  }).then(({ outputFiles }) => outputFiles[0]?.text ?? '')
  built.catch(() => (built = undefined))
  return built
}

/** Divides the visitors so that every part has about as many events. */
function divide({ events, visitors, visitStart, visitorStart }: Columns, parts: number): { from: number; to: number }[] {
  const divided: { from: number; to: number }[] = []
  let from = 0
  for (let part = 1; part <= parts; part++) {
    let to = from
    const until = (events * part) / parts
    if (part === parts) to = visitors
    else while (to < visitors && (visitStart[visitorStart[to + 1] as number] as number) <= until) to++
    divided.push({ from, to })
    from = to
  }
  return divided
}
