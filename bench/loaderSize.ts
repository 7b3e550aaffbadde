import { brotliCompressSync } from 'node:zlib'
import { ALL_FEATURES, buildLoader, type LoaderFeature } from '../server/src/wiring/buildLoader.js'
import type { Row } from './Row.js'

/** A page-view beacon as somebody would write it by hand: the least that a loader can be. */
const BEACON = `(()=>{const v=localStorage.v||=crypto.randomUUID();navigator.sendBeacon("https://acequia.example/c/KEY",JSON.stringify({visitor:v,events:[{uid:crypto.randomUUID(),at:new Date().toISOString(),name:"page-view",url:location.href,title:document.title,referrer:document.referrer||undefined}]}))})();`

const MOMENTS: LoaderFeature[] = ['ACCEPTED', 'ADDRESS', 'SEEN', 'CLICK', 'SCROLL', 'TIME', 'VIDEO']
const TARGET = 8 * 1024

const size = async (features: Iterable<LoaderFeature>): Promise<number> => brotliCompressSync(await buildLoader(new Set(features))).length

/** How many bytes pages carry, compressed, and what each part of the loader adds. */
export async function loaderSize(): Promise<Row[]> {
  const beacon = brotliCompressSync(BEACON).length
  const row = (what: string, bytes: number, target: number | null, limit = beacon): Row => ({
    what,
    measured: `${bytes} B`,
    limit: limit === beacon ? `${beacon} B, a page-view beacon by hand` : `${limit} B, everything`,
    ratio: bytes / limit,
    spread: 'none: the same bytes every time',
    target: target === null ? '–' : `≤ ${target} B`,
    met: target === null || bytes <= target,
  })
  const all = await size(ALL_FEATURES)
  const rows = [
    row('loader: page views and sent forms', await size([]), null),
    row('loader: a usual release (accepted forms, clicks, channels with click ids)', await size(['ACCEPTED', 'CLICK', 'TAGS', 'CLICK_IDS']), TARGET),
    row('loader: all moments', await size(MOMENTS), TARGET),
    row('loader: everything at once', all, TARGET),
  ]
  for (const feature of ALL_FEATURES)
    rows.push(
      row(
        `part of everything: ${feature.toLowerCase().replace('_', ' ')}`,
        all - (await size([...ALL_FEATURES].filter((each) => each !== feature))),
        null,
        all,
      ),
    )
  return rows
}
