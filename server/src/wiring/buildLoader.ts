import { fileURLToPath } from 'node:url'
import type { CompiledWiring } from '@acequia/core/wiring/LoaderConfig'
import type { MomentType } from '@acequia/core/wiring/momentSchema'
import { build, stop, type Plugin } from 'esbuild'

const ENTRY = fileURLToPath(new URL('../../../loader/src/main.ts', import.meta.url))

/** Parts of the loader that a build may leave out; the names that `loader/src/features.d.ts` declares. */
const FEATURES = [
  'ACCEPTED',
  'ADDRESS',
  'SEEN',
  'CLICK',
  'SCROLL',
  'TIME',
  'VIDEO',
  'READINGS',
  'FIELDS',
  'TABLES',
  'GOALS',
  'TAGS',
  'SCRIPTS',
  'HTML',
  'CLICK_IDS',
  'RELAYS',
  'RELAY_PAGE',
  'PROBE',
  'REHEARSAL',
  'PATTERNS',
] as const

/** A part of the loader that a build may leave out. */
export type LoaderFeature = (typeof FEATURES)[number]

/** Everything that pages of a site can ever need. */
export const ALL_FEATURES: ReadonlySet<LoaderFeature> = new Set(FEATURES.filter((each) => each !== 'RELAY_PAGE' && each !== 'PROBE' && each !== 'REHEARSAL'))

const MOMENT_FEATURES: Partial<Record<MomentType, LoaderFeature>> = {
  'form-accepted': 'ACCEPTED',
  'address-change': 'ADDRESS',
  'element-seen': 'SEEN',
  click: 'CLICK',
  scroll: 'SCROLL',
  time: 'TIME',
  video: 'VIDEO',
}

/** What of the loader a wiring uses. */
export function featuresOf(wiring: CompiledWiring): Set<LoaderFeature> {
  const features = new Set<LoaderFeature>()
  const add = (wanted: unknown, feature: LoaderFeature): void => void (wanted && features.add(feature))
  for (const { type } of wiring.listen) add(MOMENT_FEATURES[type], MOMENT_FEATURES[type] as LoaderFeature)
  const froms = new Set(wiring.readings.map(({ from }) => from.type))
  add(froms.size, 'READINGS')
  add(froms.has('field'), 'FIELDS')
  add(froms.has('table'), 'TABLES')
  add(wiring.goals.length, 'GOALS')
  add(wiring.tags.length, 'TAGS')
  add(
    wiring.tags.some((tag) => !tag.steps && !tag.event && tag.html === undefined),
    'SCRIPTS',
  )
  add(
    wiring.tags.some((tag) => tag.html !== undefined),
    'HTML',
  )
  add(wiring.clicks.length, 'CLICK_IDS')
  add(wiring.relays, 'RELAYS')
  add(JSON.stringify([wiring.triggers, wiring.readings, wiring.goals]).includes('"program"'), 'PATTERNS')
  return features
}

const built = new Map<string, Promise<string>>()

/**
 * The loader's code with just these parts, minified, with places for configuration and scripts.
 * Built once for each set of parts that a release asks for.
 */
export function buildLoader(features: ReadonlySet<LoaderFeature>): Promise<string> {
  const name = [...features].sort().join()
  let code = built.get(name)
  if (!code) {
    code = bundle(features)
    built.set(name, code)
    // A failure is tried again with the next page.
    code.catch(() => built.delete(name))
  }
  return code
}

/** Ends the bundler's own process. */
export function stopBuilding(): Promise<void> {
  return Promise.resolve(stop())
}

async function bundle(features: ReadonlySet<LoaderFeature>): Promise<string> {
  const { outputFiles } = await build({
    entryPoints: [ENTRY],
    bundle: true,
    minify: true,
    format: 'iife',
    target: ['es2020'],
    legalComments: 'none',
    write: false,
    logLevel: 'silent',
    define: Object.fromEntries(FEATURES.filter((each) => each !== 'PATTERNS').map((each) => [`ACEQUIA_${each}`, String(features.has(each))])),
    plugins: features.has('PATTERNS') ? [] : [withoutPatterns],
  })
  return outputFiles[0]?.text ?? ''
}

/** The evaluator of rules is one for all; where no rule has a pattern, what runs patterns stays at home. */
const withoutPatterns: Plugin = {
  name: 'without-patterns',
  setup({ onResolve, onLoad }) {
    onResolve({ filter: /\/program(\.js)?$/ }, () => ({ path: 'no-patterns', namespace: 'acequia' }))
    onLoad({ filter: /.*/, namespace: 'acequia' }, () => ({ contents: 'export const runProgram = () => false' }))
  },
}
