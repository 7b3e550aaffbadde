import { FORM_READINGS } from '../readings/formIdentity.js'
import type { PreparedCondition, PreparedRule } from '../rules/judge.js'
import type { Moment } from './momentSchema.js'

/** Names under which the loader records moments; a signal has its own name. */
export const EVENT_NAMES: Record<Exclude<Moment['type'], 'signal'>, string> = {
  'page-view': 'page-view',
  'address-change': 'address-change',
  'form-sent': 'form-sent',
  'form-accepted': 'form-accepted',
  'element-seen': 'element-seen',
  click: 'click',
  scroll: 'scrolled',
  time: 'time-spent',
  video: 'video-watched',
  goal: 'goal-reached',
  relay: 'relay-passed',
  all: 'all-happened',
}

/**
 * What is listened for, as one text. Two triggers with the same text share a listener, and events
 * carry it as `data.watch`, so that a recorded event tells which listener heard it. Undefined for
 * moments that are recorded without any wiring.
 * @param id the trigger's id, which only "all of several" needs
 */
export function watchOf(moment: Moment, id = ''): string | undefined {
  switch (moment.type) {
    case 'page-view':
    case 'form-sent':
    case 'address-change':
    case 'signal':
      return undefined
    case 'form-accepted':
      return [moment.by, moment.by === 'element' ? moment.selector : '', `${moment.seconds}s`].filter(Boolean).join(' ')
    case 'element-seen':
      return `${moment.selector} ${moment.percent}% ${moment.seconds}s ${moment.repeat}`
    case 'click':
      return [moment.on, moment.selector].filter(Boolean).join(' ')
    case 'scroll':
      return moment.unit === 'percent' ? `${moment.amount}%` : `${moment.amount}px`
    case 'time':
      return `${moment.of} ${moment.seconds}s ${moment.times}x`
    case 'video':
      return `${moment.percent}%`
    case 'goal':
      return moment.goal
    case 'relay':
      return moment.relay
    case 'all':
      return id
  }
}

/** The name of the event in the log that a moment corresponds to. */
export function eventNameOf(moment: Moment): string {
  return moment.type === 'signal' ? moment.name : EVENT_NAMES[moment.type]
}

/** A trigger's rule together with what tells its moment from others of the same name. */
export function momentRule(moment: Moment, where: PreparedRule, id: string): PreparedRule {
  const watch = watchOf(moment, id)
  if (watch === undefined) return where
  const heard: PreparedCondition = { reading: 'data.watch', op: 'is', text: watch, caseSensitive: true }
  return where.length ? where.map((all) => [heard, ...all]) : [[heard]]
}

/** Readings that events of a moment have beside those of every event. */
export function momentReadings(type: Moment['type']): string[] {
  const more: Partial<Record<Moment['type'], string[]>> = {
    'address-change': ['data.changedBy'],
    'form-sent': [...FORM_READINGS],
    'form-accepted': [...FORM_READINGS, 'data.formPage'],
    'element-seen': ['data.elementId', 'data.elementText'],
    click: ['data.clickText', 'data.clickTarget', 'data.clickHost', 'data.clickFile', 'data.elementId', 'data.elementClass'],
    scroll: ['data.scrolled'],
    time: ['data.seconds'],
    video: ['data.videoSource', 'data.videoTitle', 'data.videoPercent'],
  }
  return more[type] ?? []
}
