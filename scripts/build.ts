import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { brotliCompressSync } from 'node:zlib'
import { build as bundle } from 'esbuild'
import { build as buildWeb } from 'vite'

const root = fileURLToPath(new URL('..', import.meta.url))

/** Builds the loader to one small file, with a place in it for the site's configuration. */
async function buildLoader(): Promise<void> {
  const { outputFiles } = await bundle({
    entryPoints: [join(root, 'loader/src/main.ts')],
    bundle: true,
    minify: true,
    format: 'iife',
    target: ['es2020'],
    legalComments: 'none',
    write: false,
  })
  const code = outputFiles[0]?.text ?? ''
  mkdirSync(join(root, 'loader/dist'), { recursive: true })
  writeFileSync(join(root, 'loader/dist/loader.js'), code)
  console.log(`loader: ${code.length} bytes, ${brotliCompressSync(code).length} with brotli`)
}

const only = process.argv[2]
if (only !== 'web') await buildLoader()
if (only !== 'loader') await buildWeb({ root: join(root, 'web'), logLevel: 'warn' })
