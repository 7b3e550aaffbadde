/**
 * A piece of a sentence. `text` is fixed; a `chip` can be chosen and edited; an `action` is an offer
 * to say more ("and …") that stands only in editors.
 * `slot` says where in the edited object the piece comes from, as a dotted path.
 */
export type Part =
  | { type: 'text'; text: string }
  | { type: 'chip'; text: string; slot: string; edits: ChipKind; mono?: boolean }
  | { type: 'action'; text: string; slot: string; does: 'add-condition' | 'add-group' | 'add-step' | 'add-except' }

/** Which small editor a chip opens. `several` chooses any number of things; `long-text` is edited below the sentence. */
export type ChipKind =
  'choice' | 'reading' | 'op' | 'value' | 'money' | 'number' | 'duration' | 'name' | 'step' | 'channel' | 'selector' | 'several' | 'long-text'

/** Fixed words. */
export const text = (words: string): Part => ({ type: 'text', text: words })

/** Whether a piece stands right behind the one before it: our own commas and full stops do, a value that begins with one does not. */
export function isGlued(part: Part): boolean {
  return part.type === 'text' && /^[,.;:]/.test(part.text)
}

/** Puts pieces together as people write them: a space between words, none before our own commas and full stops. */
export function plainText(parts: readonly Part[]): string {
  return parts
    .filter((part) => part.type !== 'action')
    .reduce((sentence, part) => (sentence === '' || isGlued(part) ? sentence + part.text : `${sentence} ${part.text}`), '')
}
