import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync, statSync } from 'node:fs'
import { appendFile, open, type FileHandle } from 'node:fs/promises'
import { join } from 'node:path'
import { CannotStoreError, type IncomingBatch } from './EventWriter.js'

/** A new file is begun when one grows beyond this, so that replayed ones can be deleted. */
const LARGEST_FILE = 16 * 1024 ** 2
/** Batches handed over together. */
const BATCHES_AT_ONCE = 200
/** Batches that the log refuses for good are kept here, for somebody to look at. */
const REFUSED = 'refused.ndjson'

/**
 * Accepted events on disk, for as long as the database is away: files of one JSON batch a line,
 * appended and synced before anyone is answered.
 */
export class Spool {
  private file: FileHandle | undefined
  /** Name of the file that is open. */
  private fileName = ''
  private fileSize = 0
  private size = 0
  private files: string[]
  private serial: Promise<unknown> = Promise.resolve()

  constructor(
    private readonly folder: string,
    /** Largest size of all files together, in bytes; beyond it nothing more is taken. */
    private readonly largest: number,
  ) {
    mkdirSync(folder, { recursive: true })
    this.files = readdirSync(folder)
      .filter((name) => /^\d+(-\d+)+\.ndjson$/.test(name))
      .sort()
    for (const name of this.files) this.size += statSync(join(folder, name)).size
  }

  /** Whether nothing waits on disk. */
  isEmpty(): boolean {
    return this.files.length === 0
  }

  /** Bytes that wait on disk. */
  get bytes(): number {
    return this.size
  }

  /**
   * Appends batches and syncs them to disk.
   * @throws CannotStoreError when the disk or the spool is full
   */
  append(batches: IncomingBatch[]): Promise<void> {
    return this.inTurn(async () => {
      const lines = Buffer.from(batches.map((batch) => JSON.stringify(batch) + '\n').join(''))
      if (this.size + lines.length > this.largest) throw new CannotStoreError('The spool is full.')
      try {
        if (!this.file || this.fileSize > LARGEST_FILE) await this.next()
        const file = this.file as FileHandle
        await file.appendFile(lines)
        await file.datasync()
        this.fileSize += lines.length
        this.size += lines.length
      } catch (error) {
        // A line may have been written in part: nothing may ever be appended to it.
        await this.closeFile()
        throw new CannotStoreError(`The spool cannot be written: ${(error as Error).message}`)
      }
    })
  }

  /**
   * Hands all batches over, oldest first, deleting each file once its batches were taken. More may be appended
   * meanwhile; that is handed over too.
   * @param take must make the batches durable; when it fails, the file stays and is handed over again
   */
  async drain(take: (batches: IncomingBatch[]) => Promise<void>): Promise<void> {
    for (let name = this.files[0]; name !== undefined; name = this.files[0]) {
      await this.inTurn(async () => {
        if (this.fileName === name) await this.closeFile()
      })
      const path = join(this.folder, name)
      const bytes = existsSync(path) ? statSync(path).size : 0
      const batches = bytes ? readBatches(path) : []
      for (let start = 0; start < batches.length; start += BATCHES_AT_ONCE) await take(batches.slice(start, start + BATCHES_AT_ONCE))
      rmSync(path, { force: true })
      this.files.shift()
      this.size = Math.max(0, this.size - bytes)
    }
  }

  /** Keeps a batch that the log refuses for good, so that those after it can be handed over. */
  async setAside(batch: IncomingBatch, reason: string): Promise<void> {
    await appendFile(join(this.folder, REFUSED), JSON.stringify({ reason, ...batch }) + '\n', { mode: 0o600 })
  }

  private async next(): Promise<void> {
    await this.closeFile()
    // In the order of their names, also where several are begun within a millisecond.
    const name = `${String(Date.now()).padStart(15, '0')}-${String(++begun).padStart(6, '0')}-${process.pid}.ndjson`
    this.file = await open(join(this.folder, name), 'a', 0o600)
    this.fileName = name
    this.fileSize = 0
    this.files.push(name)
    // The name must be durable too, not just what is in the file.
    const folder = await open(this.folder, 'r')
    try {
      await folder.sync()
    } finally {
      await folder.close()
    }
  }

  private async closeFile(): Promise<void> {
    const { file } = this
    this.file = undefined
    this.fileName = ''
    await file?.close().catch(() => undefined)
  }

  private inTurn<T>(work: () => Promise<T>): Promise<T> {
    const result = this.serial.then(work)
    this.serial = result.catch(() => undefined)
    return result
  }
}

/** Files begun by this process. */
let begun = 0

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
