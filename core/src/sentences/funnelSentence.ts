import type { Funnel, FunnelStep } from '../funnels/funnelSchema.js'
import { text, type Part } from './Part.js'
import { ruleSentence } from './ruleSentence.js'

/** A step of a funnel as a sentence: "a page is viewed whose path is /nights, as the very next page". */
export function stepSentence({ event, where, direct }: FunnelStep, index: number): Part[] {
  const page = event === 'page-view'
  const parts: Part[] = [
    { type: 'chip', text: page ? 'a page is viewed' : event === 'form-sent' ? 'a form is sent' : 'an event happens', slot: 'kind', edits: 'choice' },
  ]
  if (!page && event !== 'form-sent') parts.push({ type: 'chip', text: event.trim() || '…', slot: 'event', edits: 'name', mono: true })
  parts.push(...ruleSentence(where, 'where'))
  if (index > 0 && page) parts.push(text(','), { type: 'chip', text: direct ? 'as the very next page' : 'at any time later', slot: 'direct', edits: 'choice' })
  return parts
}

/** What a funnel as a whole asks for, as a sentence; its steps follow it. */
export function funnelSentence({ scope, entry }: Pick<Funnel, 'scope' | 'entry'>): Part[] {
  return [
    text('Follow'),
    { type: 'chip', text: scope === 'visit' ? 'each visit' : 'each visitor', slot: 'scope', edits: 'choice' },
    ...(scope === 'visit'
      ? []
      : [
          text('for'),
          { type: 'chip', text: `${scope.visitorDays} ${scope.visitorDays === 1 ? 'day' : 'days'}`, slot: 'scope.visitorDays', edits: 'number' } as const,
        ]),
    text('through these steps in this order, from'),
    { type: 'chip', text: entry === 'first' ? 'the first step' : 'any step', slot: 'entry', edits: 'choice' },
    text('on.'),
  ]
}
