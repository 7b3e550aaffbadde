import type { Template } from './recipeSchema.js'

/** What can be filled into a template, by name; undefined is absent. */
export type TemplateValues = Record<string, string | number | undefined>

const WHOLE = /^\{([\w.]+)\}$/
const PART = /\{([\w.]+)\}/g

/**
 * Fills a template. A text that is one placeholder keeps its value's type; in an object what is
 * absent is left out, in a list it becomes null, inside a longer text it becomes empty.
 */
export function fillTemplate(template: Template, values: TemplateValues): unknown {
  if (typeof template === 'string') {
    const whole = WHOLE.exec(template)
    return whole ? values[whole[1] as string] : template.replace(PART, (_, name: string) => String(values[name] ?? ''))
  }
  if (Array.isArray(template)) return template.map((each) => fillTemplate(each, values) ?? null)
  if (template && typeof template === 'object') {
    const filled: Record<string, unknown> = {}
    for (const name of Object.keys(template)) {
      const value = fillTemplate(template[name] as Template, values)
      if (value !== undefined) filled[name] = value
    }
    return filled
  }
  return template
}

/** Fills the placeholders of an address, percent-encoding every value. */
export function fillAddress(template: string, values: TemplateValues): string {
  return template.replace(PART, (_, name: string) => encodeURIComponent(values[name] ?? ''))
}
