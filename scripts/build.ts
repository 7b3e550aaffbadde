import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { build as buildWeb } from 'vite'

/** Builds the interface. The loader is bundled by the server, for what each release uses. */
const root = fileURLToPath(new URL('..', import.meta.url))

await buildWeb({ root: join(root, 'web'), logLevel: 'warn' })
