/** The only texts that are numbers, wherever a text is read as one (contract "Rules"). */
const NUMBER = /^\s*[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?\s*$/

/** Tells whether a text is a number in the sense of rules and value readings. */
export function isNumberText(text: string): boolean {
  return NUMBER.test(text)
}
