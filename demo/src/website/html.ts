/** A piece of HTML that is already safe. */
export class Html {
  constructor(readonly text: string) {}
}

const ESCAPES: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' }

/** Makes a text safe inside HTML. */
export function escape(text: string): string {
  return text.replace(/[&<>"']/g, (character) => ESCAPES[character] ?? character)
}

/** Writes HTML; whatever is filled in is escaped unless it is `Html` itself. */
export function html(parts: TemplateStringsArray, ...values: (string | number | Html | Html[] | undefined | false)[]): Html {
  const show = (value: (typeof values)[number]): string => {
    if (value === undefined || value === false) return ''
    if (Array.isArray(value)) return value.map((each) => each.text).join('')
    return value instanceof Html ? value.text : escape(String(value))
  }
  return new Html(parts.reduce((text, part, index) => text + show(values[index - 1]) + part))
}
