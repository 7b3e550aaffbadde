import { isNumberText } from '@acequia/core/money/Amount'
import { readEvent, type Reader } from '@acequia/core/readings/readEvent'
import { fillAddress, fillTemplate, type TemplateValues } from '@acequia/core/recipes/fillTemplate'
import { judge } from '@acequia/core/rules/judge'
import type { VisitSource } from '@acequia/core/sources/sourceOf'
import type { LoaderTag } from '@acequia/core/wiring/LoaderConfig'
import { config } from './config.js'
import type { PageEvent } from './PageEvent.js'
import { quietly } from './quietly.js'

const loaded: Record<string, true> = {}

/** Fires every tag one of whose triggers matches. A tag that fails keeps no other from firing. */
export function fireTags(event: PageEvent, source: VisitSource): void {
  const read = readEvent(event, source)
  for (const tag of config.tags) if (tag.when.some((when) => when.event === event.name && judge(when.where, read))) fire(tag, read)
}

const fire = quietly((tag: LoaderTag, read: Reader): void => {
  const values: TemplateValues = { ...tag.values, ...worth(tag, read), order: read('order') }
  if (tag.needs.some((need) => values[need] === undefined)) return
  for (const step of tag.steps) {
    if ('script' in step) {
      if (loaded[step.script]) continue
      loaded[step.script] = true
      const script = document.createElement('script')
      script.async = true
      script.src = step.script
      document.head.appendChild(script)
    } else if ('queue' in step) {
      const globals = window as unknown as Record<string, { push: (call: unknown) => void }>
      ;(globals[step.queue] ||= [] as unknown[]).push(step.push.map((each) => fillTemplate(each, values)))
    } else {
      new Image().src = fillAddress(step.image, values)
    }
  }
})

function worth({ value }: LoaderTag, read: Reader): TemplateValues {
  if (value.type === 'none') return {}
  if (value.type === 'reading') {
    const text = read(value.reading)
    if (text !== undefined && isNumberText(text)) return { value: Number(text), currency: read('currency') ?? config.currency }
    return value.fallback === undefined ? {} : { value: value.fallback, currency: config.currency }
  }
  return { value: value.amount, currency: config.currency }
}
