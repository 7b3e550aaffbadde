import type { Moment, Trigger } from '../wiring/wiringSchema.js'
import { text, type Part } from './Part.js'
import { ruleSentence } from './ruleSentence.js'

/** The words for a moment, without its parameters. */
export function momentWords(type: Moment['type']): string {
  return type === 'page-view' ? 'a page is viewed' : type === 'form-sent' ? 'a form is sent' : 'the site signals'
}

/** A trigger as one sentence: "When a page is viewed whose path is /nights/thanks". */
export function triggerSentence(trigger: Pick<Trigger, 'moment' | 'where'>): Part[] {
  const { moment, where } = trigger
  const parts: Part[] = [text('When'), { type: 'chip', text: momentWords(moment.type), slot: 'moment', edits: 'choice' }]
  if (moment.type === 'signal') parts.push({ type: 'chip', text: moment.name, slot: 'moment.name', edits: 'name', mono: true })
  if (!where.any.length) parts.push(text(moment.type === 'page-view' ? ', any page' : moment.type === 'form-sent' ? ', any form' : ''))
  return [...parts.filter((part) => part.text !== ''), ...ruleSentence(where, 'where')]
}
