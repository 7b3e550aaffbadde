import { RE2JS } from 're2js'
import type { Program } from './program.js'

/** Instruction codes and flags of re2js's compiled programs, as far as they differ from ours. */
const FOLD_CASE = 1
const CAPTURE = 3
const NOP = 7
const RUNE = 8
const LAST_KNOWN = 11
/** Beyond this a pattern is refused: it would be too large to carry to visitors' browsers. */
const MOST_INSTRUCTIONS = 5000

interface Instruction {
  op: number
  out: number
  arg: number
  runes: ArrayLike<number>
}

/**
 * Why a text is no usable pattern, in words for the person who typed it; null when it is one.
 */
export function patternError(source: string): string | null {
  try {
    compilePattern(source, false)
    return null
  } catch (error) {
    return `This pattern cannot be read (RE2 syntax): ${error instanceof Error ? error.message : String(error)}`
  }
}

/**
 * Compiles RE2 syntax to a program that `runProgram` executes, here and in visitors' browsers alike,
 * in time linear in the text.
 * @param ignoreCase the flag `i`
 * @throws when the source is no RE2 or too large
 */
export function compilePattern(source: string, ignoreCase: boolean): Program {
  const compiled = RE2JS.compile(source, ignoreCase ? RE2JS.CASE_INSENSITIVE : 0) as unknown as {
    re2Input: { prog: { inst: Instruction[]; start: number } }
  }
  const { inst, start } = compiled.re2Input.prog
  if (inst.length > MOST_INSTRUCTIONS) throw new Error('it is too large')
  return {
    start,
    code: inst.map(({ op, out, arg, runes }) => {
      if (op > LAST_KNOWN) throw new Error('it looks backwards, which is not supported')
      if (op === CAPTURE) return [NOP, out, 0]
      if (op < RUNE) return [op, out, arg]
      return [op, out, 0, ...rangesOf(runes, (arg & FOLD_CASE) !== 0)]
    }),
  }
}

/** Runes as pairs [from, to]; a single rune that ignores case becomes all runes it folds with. */
function rangesOf(runes: ArrayLike<number>, fold: boolean): number[] {
  const list = Array.from(runes)
  if (list.length !== 1) return list
  const [rune = 0] = list
  return (fold ? foldsWith(rune) : [rune]).flatMap((each) => [each, each])
}

let casedCharacters: string | undefined

/** All code points that equal this one under simple case folding, itself included, ascending. */
function foldsWith(rune: number): number[] {
  casedCharacters ??= Array.from({ length: 0x1f000 }, (_, point) => (point >= 0xd800 && point <= 0xdfff ? '' : String.fromCodePoint(point)))
    .filter((character) => /\p{Changes_When_Casemapped}/u.test(character) || /\p{Changes_When_Casefolded}/u.test(character))
    .join('')
  const same = casedCharacters.match(new RegExp(`\\u{${rune.toString(16)}}`, 'giu')) ?? []
  return [...new Set([rune, ...same.map((character) => character.codePointAt(0) ?? 0)])].sort((a, b) => a - b)
}
