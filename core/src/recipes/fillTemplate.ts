import type { Template } from './recipeSchema.js'

/** Gives what is filled in for a placeholder's name; undefined is absent. Extra parameters come as an object. */
export type TemplateValue = (name: string) => string | number | Record<string, unknown> | undefined

const WHOLE = /^\{([\w.-]+)\}$/
const PART = /\{([\w.-]+)\}/g

/**
 * Fills a template. A text that is one placeholder keeps its value's type; in an object what is
 * absent is left out and a member "..." is replaced by the members of its value; in a list what is
 * absent becomes null, inside a longer text it becomes empty.
 */
export function fillTemplate(template: Template, value: TemplateValue): unknown {
  if (typeof template === 'string') {
    const whole = WHOLE.exec(template)
    return whole ? value(whole[1] as string) : template.replace(PART, (_, name: string) => String(value(name) ?? ''))
  }
  if (Array.isArray(template)) return template.map((each) => fillTemplate(each, value) ?? null)
  if (template && typeof template === 'object') {
    const filled: Record<string, unknown> = {}
    for (const name of Object.keys(template)) {
      const found = fillTemplate(template[name] as Template, value)
      if (name === '...') Object.assign(filled, found)
      else if (found !== undefined) filled[name] = found
    }
    return filled
  }
  return template
}

/** Fills the placeholders of an address, percent-encoding every value; extra parameters become `&name=value`. */
export function fillAddress(template: string, value: TemplateValue): string {
  return template.replace(PART, (_, name: string) => {
    const found = value(name)
    if (typeof found !== 'object') return encodeURIComponent(found ?? '')
    return Object.keys(found)
      .map((key) => `&${encodeURIComponent(key)}=${encodeURIComponent(String(found[key]))}`)
      .join('')
  })
}
