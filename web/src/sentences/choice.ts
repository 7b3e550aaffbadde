/** One thing that can be chosen for a chip, and what the edited object is then. */
export interface Choice<T> {
  label: string
  /** A few words more, where the label alone may be misread. */
  hint?: string
  chosen: boolean
  apply: (model: T) => T
}
