import { parentPort, workerData } from 'node:worker_threads'
import type { ColumnPart, Columns } from '@acequia/core/columns/Columns'
import { runColumnJob, type ColumnJob } from './ColumnJob.js'

/** A thread that answers questions over columns in shared memory. */
const columns = workerData as Columns
parentPort?.on('message', ({ id, part, job }: { id: number; part: ColumnPart; job: ColumnJob }) => {
  try {
    parentPort?.postMessage({ id, answer: runColumnJob(columns, part, job) })
  } catch (error) {
    parentPort?.postMessage({ id, error: error instanceof Error ? error.message : String(error) })
  }
})
