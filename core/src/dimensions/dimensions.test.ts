import { describe, expect, it } from 'vitest'
import { calendarOf } from '../days/zone.js'
import { deriveVisits } from '../visits/deriveVisits.js'
import { agentOf, isoWeek, timeDimension, visitDimension, type Dimension } from './dimensions.js'

describe('dimensions', () => {
  it('of time are those of the site’s clock', () => {
    const madrid = calendarOf('Europe/Madrid')
    const at = Date.parse('2026-05-03T22:30:00Z')
    expect((['day', 'week', 'month', 'hour', 'weekday'] as const).map((each) => timeDimension(each, at, madrid))).toEqual([
      '2026-05-04',
      '2026-W19',
      '2026-05',
      0,
      1,
    ])
    expect(timeDimension('weekday', Date.parse('2026-05-03T10:00:00Z'), madrid)).toBe(7)
  })

  it.each([
    ['2026-01-01', '2026-W01'],
    ['2027-01-01', '2026-W53'],
    ['2024-12-30', '2025-W01'],
    ['2026-12-31', '2026-W53'],
  ])('%s is in %s', (day, week) => expect(isoWeek(day)).toBe(week))

  it('tell devices apart', () => {
    expect(agentOf('Mozilla/5.0 (Linux; Android 15; K) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Mobile Safari/537.36')).toMatchObject({
      device: 'mobile',
      system: 'Android',
    })
    expect(agentOf('Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0')).toMatchObject({
      device: 'desktop',
      browser: 'Firefox',
      system: 'Linux',
    })
    expect(agentOf(undefined)).toEqual({ device: null, browser: null, system: null })
  })

  it('of a visit: its pages, its source, its first event', () => {
    const event = (minute: number, name: string, path: string) => ({
      uid: `u${minute}`,
      at: Date.UTC(2026, 4, 4, 10, minute),
      name,
      url: `https://Altolucero.example${path}`,
      ...(minute === 0 && { place: { country: 'ES', region: null, city: null, language: 'es' } }),
    })
    const [visit] = deriveVisits([event(0, 'click', '/x'), event(1, 'page-view', '/a'), event(2, 'page-view', '/b')], {
      hosts: [],
      passThroughHosts: [],
      sourceRules: [],
      clickIds: [],
    })
    const of = (dimension: Dimension) => visitDimension(dimension, visit!, calendarOf('UTC'))
    expect((['landing', 'exit', 'source', 'medium', 'country', 'region', 'language', 'host', 'path'] as const).map(of)).toEqual([
      '/a',
      '/b',
      'direct',
      'none',
      'ES',
      null,
      'es',
      'altolucero.example',
      '/x',
    ])
  })
})
