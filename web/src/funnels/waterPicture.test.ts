import type { FunnelStepCount } from '@acequia/core/funnels/FunnelTally'
import { describe, expect, it } from 'vitest'
import { waterPicture } from './waterPicture'

const step = (name: string, entered: number, arrived: number, continued: number, leftTo: [string | null, number][] = []): FunnelStepCount => ({
  name,
  entered,
  arrived,
  continued,
  left: entered + arrived - continued,
  rate: null,
  medianSeconds: null,
  leftTo: leftTo.map(([path, count]) => ({ path, count })),
  cameBack: null,
})
const STEPS = [
  step('Offer', 1000, 0, 400, [
    ['/a', 300],
    [null, 200],
    ['/b', 60],
    ['/c', 30],
    ['/d', 10],
  ]),
  step('Form', 100, 400, 200, [[null, 300]]),
  step('Thanks', 0, 200, 0),
]
const picture = waterPicture(STEPS, 1000, 1000, () => '40 %')
/** Across from and to of a band, from its corners. */
const span = (d: string): [number, number] => {
  const depths = [...d.matchAll(/[ML]\d+(?:\.\d+)? (\d+(?:\.\d+)?)/g)].map((found) => Number(found[1]))
  return [Math.min(...depths), Math.max(...depths)]
}

describe('the water picture', () => {
  it('is to scale: what goes on, what arrives and what joins are as thick as their numbers', () => {
    const [top, bottom] = span(picture.gates[0]?.band?.d ?? '')
    const unit = (bottom - top) / 400
    const [joinTop, joinBottom] = span(picture.gates[1]?.joined?.d ?? '')
    expect((joinBottom - joinTop) / unit).toBeCloseTo(100, 0)
    expect(joinTop).toBeCloseTo(top + 400 * unit, 0)
    const next = span(picture.gates[1]?.band?.d ?? '')
    expect((next[1] - next[0]) / unit).toBeCloseTo(200, 0)
  })

  it('joins small leaks, names leaving the site, the largest lowest and longest', () => {
    const leaks = picture.gates[0]?.leaks ?? []
    expect(leaks.map((leak) => [leak.words, leak.count])).toEqual([
      ['/a', 300],
      ['left the site', 200],
      ['/b', 60],
      ['2 other pages', 40],
    ])
    for (const [index, leak] of leaks.slice(1).entries()) {
      expect(leak.x).toBeGreaterThan(leaks[index]?.x ?? 0)
      expect(leak.y).toBeLessThan(leaks[index]?.y ?? 0)
    }
  })

  it('keeps every leak before the next gate, also with twelve gates', () => {
    const many = Array.from({ length: 12 }, (_, index) =>
      step(`s${index}`, index ? 0 : 500, index ? 500 - index * 40 : 0, index < 11 ? 460 - index * 40 : 0, index < 11 ? [[null, 40]] : []),
    )
    const drawn = waterPicture(many, 1000, 500, () => '')
    for (const [index, gate] of drawn.gates.entries()) for (const leak of gate.leaks) expect(leak.x).toBeLessThan(drawn.gates[index + 1]?.x ?? Infinity)
  })

  it('runs from top to bottom where there is no room', () => {
    const phone = waterPicture(STEPS, 300, 1000, () => '', true)
    expect(phone.height).toBeGreaterThan(phone.width)
    expect((phone.gates[1]?.y ?? 0) - (phone.gates[0]?.y ?? 0)).toBeGreaterThan(150)
  })
})
