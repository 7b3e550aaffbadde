import type { Funnel } from '@acequia/core/funnels/funnelSchema'
import { funnelSchema } from '@acequia/core/funnels/funnelSchema'
import { ruleIs } from '@acequia/core/rules/ruleIs'

/** A saved funnel as the API gives it. */
export type FunnelAnswer = Funnel & { id: string; revision: number; changedAt: string; changedBy: string }

/** A step for one page. */
export const pageStep = (path: string, name = path): Funnel['steps'][number] => ({ name, event: 'page-view', where: ruleIs('path', path), direct: false })

/** A funnel to begin with. */
export const NEW_FUNNEL: Funnel = { name: '', steps: [pageStep('', ''), pageStep('', '')], scope: 'visit', entry: 'first' }

/** A funnel as part of an address, so that it can be shared before it is saved. */
export const funnelToText = (funnel: Funnel): string => JSON.stringify(funnel)

/** A funnel from an address; null when it is none. */
export function funnelFromText(text: unknown): Funnel | null {
  try {
    const read = funnelSchema.safeParse(JSON.parse(String(text)))
    return read.success ? read.data : null
  } catch {
    return null
  }
}

/** Whether a step still lacks what it asks for. */
export const isUnfinished = (funnel: Funnel): boolean =>
  funnel.steps.some(
    (step) =>
      !step.event.trim() ||
      step.where.any.some(({ all }) =>
        all.some((each) => each.op !== 'present' && (each.value === '' || each.value === undefined || (Array.isArray(each.value) && !each.value.length))),
      ),
  )

/** A time in seconds as people say it: "1 min 12 s". */
export function spanText(seconds: number | null): string {
  if (seconds === null) return '–'
  const [days, hours, minutes] = [Math.floor(seconds / 86_400), Math.floor((seconds % 86_400) / 3600), Math.floor((seconds % 3600) / 60)]
  if (days) return `${days} d ${hours} h`
  if (hours) return `${hours} h ${minutes} min`
  return minutes ? `${minutes} min ${Math.round(seconds % 60)} s` : `${Math.round(seconds * 10) / 10} s`
}
