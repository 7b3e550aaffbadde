import { build } from 'esbuild'
import fc from 'fast-check'
import type { Browser } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { readEvent, type ReadableEvent } from '../../core/src/readings/readEvent.js'
import { judge, type PreparedRule } from '../../core/src/rules/judge.js'
import { prepareRule } from '../../core/src/rules/prepareRule.js'
import { OPS, ruleSchema } from '../../core/src/rules/Rule.js'
import { startBrowser } from '../start/browser.js'

const RULES = 10_000
const VISIT = { source: 'farola', medium: 'cpc', campaign: null }

let browser: Browser
beforeAll(async () => {
  browser = await startBrowser()
})
afterAll(() => browser.close())

/** Texts in which rules and readings go wrong: cases, accents, escapes, numbers, line ends, astral characters. */
const word = fc.oneof(
  fc.constantFrom('/nights', '/Nights/', 'Ñ', 'ß', 'İ', 'ı', '😀', '1e3', ' 12.50', '-0', '%C3%A9', '%zz', '%ff', 'a+b', '', 'true', 'a\nb', 'K', 'ſ'),
  fc.string({ maxLength: 6 }),
)
const reading = fc.constantFrom(
  'url',
  'path',
  'query',
  'host',
  'title',
  'referrer',
  'referrerHost',
  'event',
  'value',
  'order',
  'source',
  'campaign',
  'query.a',
  'data.x',
  'own.total',
)
const pattern = fc.constantFrom('^/n', 'n+ights$', '(?:a|b)*c', '\\d{2,}', '[^a-z]+', '\\bé', 'ñ', '(?s)a.b', 'x?', '^$', '\\p{L}+', 'k')
const condition = fc
  .record({
    reading,
    op: fc.constantFrom(...OPS),
    value: word,
    list: fc.array(word, { maxLength: 3 }),
    pattern,
    not: fc.boolean(),
    caseSensitive: fc.boolean(),
  })
  .map(({ op, value, list, pattern: source, ...rest }) => ({
    ...rest,
    op,
    value: op === 'in' ? list : op === 'matches' ? source : op === 'above' || op === 'below' ? String(value.length) : value,
  }))
const rule = fc.record({ any: fc.array(fc.record({ all: fc.array(condition, { minLength: 1, maxLength: 3 }) }), { maxLength: 3 }) })
const event: fc.Arbitrary<ReadableEvent> = fc.record({
  name: fc.constantFrom('page-view', 'form-sent', 'Page-View'),
  url: fc
    .tuple(fc.constantFrom('https://A.example:8443', 'http://u@b.example', ''), word, word, word)
    .map(([origin, path, query, part]) => `${origin}${path}?a=${query}&a=2#${part}`),
  title: fc.option(word),
  referrer: fc.option(word),
  value: fc.option(fc.double({ noNaN: true, noDefaultInfinity: true })),
  order: fc.option(word),
  data: fc.record({ x: fc.oneof(word, fc.integer(), fc.boolean()), 'own.total': word }),
})

describe('rules and readings', () => {
  it('are judged alike in the browser and on the server, ten thousand of them', async () => {
    const cases = fc
      .sample(fc.tuple(rule, event), { numRuns: RULES, seed: 20_260_504 })
      .map(([given, seen]): [PreparedRule, ReadableEvent] => [prepareRule(ruleSchema.parse(given)), seen])
    const { outputFiles } = await build({
      stdin: {
        contents: `import { judge } from './core/src/rules/judge'; import { readEvent } from './core/src/readings/readEvent'
          window.judgeAll = (cases, visit) => cases.map(([rule, event]) => judge(rule, readEvent(event, visit)))`,
        resolveDir: new URL('../..', import.meta.url).pathname,
      },
      bundle: true,
      minify: true,
      format: 'iife',
      target: ['es2020'],
      write: false,
    })
    const page = await browser.newPage()
    await page.addScriptTag({ content: outputFiles[0]?.text ?? '' })
    // As JSON, which is how a release carries rules.
    const wire = JSON.parse(JSON.stringify(cases)) as typeof cases
    const inBrowser = await page.evaluate(([list, visit]) => (window as unknown as { judgeAll: (...args: unknown[]) => boolean[] }).judgeAll(list, visit), [
      wire,
      VISIT,
    ] as const)
    const onServer = wire.map(([prepared, seen]) => judge(prepared, readEvent(seen, VISIT)))
    expect(inBrowser.findIndex((outcome, index) => outcome !== onServer[index])).toBe(-1)
    expect(inBrowser).toHaveLength(RULES)
    // A test over rules that all come out the same would show nothing.
    const held = onServer.filter(Boolean).length
    expect(held).toBeGreaterThan(RULES * 0.2)
    expect(held).toBeLessThan(RULES * 0.8)
  })
})
