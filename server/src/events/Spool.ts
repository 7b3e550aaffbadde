import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync } from 'node:fs'
import { open, type FileHandle } from 'node:fs/promises'
import { join } from 'node:path'
import { CannotStoreError, type IncomingBatch } from './EventWriter.js'

/** Largest size of all files together, in bytes; beyond it nothing more is taken. */
const LARGEST = 2 * 1024 ** 3
/** A new file is begun when one grows beyond this, so that replayed ones can be deleted. */
const LARGEST_FILE = 16 * 1024 ** 2

/**
 * Accepted events on disk, for as long as the database is away: files of one JSON batch a line,
 * appended and synced before anyone is answered.
 */
export class Spool {
  private file: FileHandle | undefined
  private fileSize = 0
  private size = 0
  private files: string[]
  private serial: Promise<unknown> = Promise.resolve()

  constructor(private readonly folder: string) {
    mkdirSync(folder, { recursive: true })
    this.files = readdirSync(folder)
      .filter((name) => /^\d+-\d+\.ndjson$/.test(name))
      .sort()
  }

  /** Whether nothing waits on disk. */
  isEmpty(): boolean {
    return this.files.length === 0
  }

  /**
   * Appends batches and syncs them to disk.
   * @throws CannotStoreError when the disk or the spool is full
   */
  append(batches: IncomingBatch[]): Promise<void> {
    return this.inTurn(async () => {
      const lines = batches.map((batch) => JSON.stringify(batch) + '\n').join('')
      if (this.size + lines.length > LARGEST) throw new CannotStoreError('The spool is full.')
      try {
        if (!this.file || this.fileSize > LARGEST_FILE) await this.next()
        const file = this.file as FileHandle
        await file.appendFile(lines)
        await file.datasync()
        this.fileSize += lines.length
        this.size += lines.length
      } catch (error) {
        throw new CannotStoreError(`The spool cannot be written: ${(error as Error).message}`)
      }
    })
  }

  /**
   * Hands all batches over, oldest first, deleting each file once its batches were taken.
   * @param take must make the batches durable; when it fails, the file stays and is handed over again
   */
  drain(take: (batches: IncomingBatch[]) => Promise<void>): Promise<void> {
    return this.inTurn(async () => {
      await this.file?.close()
      this.file = undefined
      for (const name of [...this.files]) {
        const path = join(this.folder, name)
        const batches = existsSync(path) ? readBatches(path) : []
        for (let start = 0; start < batches.length; start += 200) await take(batches.slice(start, start + 200))
        rmSync(path, { force: true })
        this.files.shift()
      }
      this.size = 0
    })
  }

  private async next(): Promise<void> {
    await this.file?.close()
    const name = `${String(Date.now()).padStart(15, '0')}-${process.pid}.ndjson`
    this.file = await open(join(this.folder, name), 'a', 0o600)
    this.fileSize = 0
    this.files.push(name)
  }

  private inTurn<T>(work: () => Promise<T>): Promise<T> {
    const result = this.serial.then(work)
    this.serial = result.catch(() => undefined)
    return result
  }
}

/** A crash can leave the last line unfinished; its sender was never answered, so it is left out. */
function readBatches(path: string): IncomingBatch[] {
  return readFileSync(path, 'utf8')
    .split('\n')
    .filter(Boolean)
    .flatMap((line): IncomingBatch[] => {
      try {
        return [JSON.parse(line) as IncomingBatch]
      } catch {
        return []
      }
    })
}
