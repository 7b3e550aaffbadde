import { plainText, type Part } from '@acequia/core/sentences/Part'
import { MOMENT_CHOICES, triggerSentence } from '@acequia/core/sentences/triggerSentence'
import { relaySchema } from '@acequia/core/wiring/relaySchema'
import { momentSchema, type Moment } from '@acequia/core/wiring/momentSchema'
import { wiringSchema, type Trigger } from '@acequia/core/wiring/wiringSchema'
import { describe, expect, it } from 'vitest'
import { momentChoices, momentProblem } from './momentChoices'

const { triggers } = wiringSchema.parse({
  triggers: [
    { id: 'view', moment: { type: 'page-view' } },
    { id: 'form', moment: { type: 'form-sent' } },
    { id: 'both', moment: { type: 'all', triggers: ['view', 'form'] } },
    { id: 'edited', moment: { type: 'page-view' } },
  ],
  tags: [],
})
const context = {
  goals: [
    { id: 'g1', name: 'Booked' },
    { id: 'g2', name: 'Asked' },
  ] as never,
  relays: [relaySchema.parse({ name: 'lodge', targets: ['https://lodge.example/'] })],
  triggers,
}
const edited = triggers.find(({ id }) => id === 'edited') as Trigger
const choices = (trigger: Trigger, chip: string): ReturnType<typeof momentChoices> => momentChoices(trigger, chip, context)
const sentence = (trigger: Trigger): string => plainText(triggerSentence(trigger, context))
const chips = (trigger: Trigger): string[] =>
  triggerSentence(trigger, context).flatMap((part: Part) => (part.type === 'chip' && part.slot.startsWith('moment') ? [part.slot] : []))
/** A trigger with each of the moments that can be chosen. */
const each = choices(edited, 'moment').map(({ label, apply }) => ({ label, trigger: apply(edited) as Trigger }))

describe('the moments that can be chosen', () => {
  it('are all there are, each once, each in its own words', () => {
    expect(each).toHaveLength(MOMENT_CHOICES.length)
    expect(new Set(each.map(({ trigger }) => sentence(trigger))).size).toBe(each.length)
  })

  it.each(each)('$label is chosen then, and choosing it again loses nothing', ({ label, trigger }) => {
    const chosen = choices(trigger, 'moment').filter((one) => one.chosen)
    expect(chosen.map((one) => one.label)).toEqual([label])
    expect(chosen[0]?.apply(trigger)).toEqual(trigger)
  })

  it.each(each)('$label can be saved as it is, or says what is still to be chosen', ({ trigger: { moment } }) => {
    const complete = momentSchema.safeParse(moment).success
    expect(momentProblem(moment) === null).toBe(complete)
  })

  it.each(each)('$label has choices at every chip that offers some', ({ trigger }) => {
    for (const chip of chips(trigger)) {
      const offered = choices(trigger, chip)
      const after = offered.map((one) => sentence(one.apply(trigger) as Trigger))
      expect(new Set(after).size, chip).toBe(offered.length)
    }
  })
})

describe('where another trigger, goal or relay link is meant', () => {
  const withMoment = (moment: Moment): Trigger => ({ ...edited, moment })

  it('it is offered by its name, and known by its id', () => {
    const offered = choices(withMoment({ type: 'goal', goal: '' }), 'moment.goal')
    expect(offered.map(({ label }) => label)).toEqual(['Booked', 'Asked'])
    expect((offered[1]?.apply(edited) as Trigger).moment).toMatchObject({ goal: 'g2' })
    expect(choices(withMoment({ type: 'relay', relay: '' }), 'moment.relay')).toMatchObject([{ label: 'lodge', hint: 'https://lodge.example/' }])
  })

  it('several triggers can be chosen one by one, and taken away again; never itself, or one that is made of others', () => {
    let trigger = withMoment({ type: 'all', triggers: [] })
    expect(choices(trigger, 'moment.triggers').map(({ chosen }) => chosen)).toEqual([false, false])
    for (const index of [0, 1]) trigger = choices(trigger, 'moment.triggers')[index]?.apply(trigger) as Trigger
    expect(trigger.moment).toEqual({ type: 'all', triggers: ['view', 'form'] })
    expect(momentProblem(trigger.moment)).toBeNull()
    trigger = choices(trigger, 'moment.triggers')[0]?.apply(trigger) as Trigger
    expect(trigger.moment).toEqual({ type: 'all', triggers: ['form'] })
    expect(momentProblem(trigger.moment)).toMatch(/at least two/)
  })
})
