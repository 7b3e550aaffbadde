/** Readings that say which form was sent, the surest first. Class and place may change with the page's design. */
export const FORM_READINGS = ['data.formId', 'data.formName', 'data.formAction', 'data.formClass', 'data.formPosition'] as const

/** Those that mean the same form on whatever page it stands. */
const NAMING = FORM_READINGS.slice(0, 3)

/** What a form is known by. */
export interface FormIdentity {
  reading: (typeof FORM_READINGS)[number]
  value: string
}

/**
 * What the form of an event is known by: the surest reading that it has; null where it has none.
 * @param data the event's data
 * @param alsoByLooks whether class or place on the page will do
 */
export function formIdentity(data: Readonly<Record<string, string | number | boolean>> | null | undefined, alsoByLooks = false): FormIdentity | null {
  for (const reading of alsoByLooks ? FORM_READINGS : NAMING) {
    const value = data?.[reading.slice('data.'.length)]
    if (value !== undefined && value !== '') return { reading, value: String(value) }
  }
  return null
}
