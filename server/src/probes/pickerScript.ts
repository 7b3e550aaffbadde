import { fileURLToPath } from 'node:url'
import { build } from 'esbuild'

const ENTRY = fileURLToPath(new URL('../../../loader/src/picker.ts', import.meta.url))
let built: Promise<string> | undefined

/** The script with which an element of a page is chosen, for one probe. */
export async function pickerScript(origin: string, token: string): Promise<string> {
  built ??= build({ entryPoints: [ENTRY], bundle: true, minify: true, format: 'iife', target: ['es2020'], legalComments: 'none', write: false }).then(
    ({ outputFiles }) => outputFiles[0]?.text ?? '',
  )
  built.catch(() => (built = undefined))
  return (await built).replace('__ACEQUIA_REPORTS__', () => JSON.stringify(`${origin}/p/${token}/reports`))
}
