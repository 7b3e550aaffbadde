/**
 * A compiled RE2 pattern as plain numbers, small enough to travel to a browser as JSON.
 * Each instruction is [operation, next, argument, …ranges]; ranges are pairs of code points.
 */
export interface Program {
  start: number
  code: number[][]
}

const ALT = 1
const ALT_MATCH = 2
const EMPTY_WIDTH = 4
const FAIL = 5
const MATCH = 6
const NOP = 7
const RUNE_ANY = 10
const RUNE_ANY_NOT_NEWLINE = 11

/**
 * Tells whether a program matches anywhere in a text. Simulates all threads at once (Thompson's
 * construction), so the time is at most instructions × length and no pattern can hang a page.
 */
export function runProgram(program: Program, text: string): boolean {
  const { code, start } = program
  let threads: number[] = []
  let before = -1
  let position = 0
  for (;;) {
    const point = position < text.length ? (text.codePointAt(position) as number) : -1
    const seen = new Set<number>()
    const waiting: number[] = []
    // Unanchored: a new thread may begin at every position.
    const stack = [start, ...threads.reverse()]
    while (stack.length) {
      const pc = stack.pop() as number
      if (seen.has(pc)) continue
      seen.add(pc)
      const [op, out, arg] = code[pc] as [number, number, number]
      if (op === MATCH) return true
      if (op === ALT || op === ALT_MATCH) stack.push(arg, out)
      else if (op === NOP) stack.push(out)
      else if (op === EMPTY_WIDTH) {
        if ((arg & ~emptyWidth(before, point)) === 0) stack.push(out)
      } else if (op !== FAIL) waiting.push(pc)
    }
    if (point < 0) return false
    threads = waiting.filter((pc) => takes(code[pc] as number[], point)).map((pc) => (code[pc] as number[])[1] as number)
    before = point
    position += point > 0xffff ? 2 : 1
  }
}

function takes(instruction: number[], point: number): boolean {
  if (instruction[0] === RUNE_ANY) return true
  if (instruction[0] === RUNE_ANY_NOT_NEWLINE) return point !== 10
  for (let i = 3; i < instruction.length; i += 2) {
    if (point >= (instruction[i] as number) && point <= (instruction[i + 1] as number)) return true
  }
  return false
}

/** RE2's flags of what holds between two characters: line 1, 2; text 4, 8; word boundary 16, none 32. */
function emptyWidth(before: number, after: number): number {
  let flags = 0
  if (before < 0) flags |= 5
  if (before === 10) flags |= 1
  if (after < 0) flags |= 10
  if (after === 10) flags |= 2
  return flags | (isWord(before) !== isWord(after) ? 16 : 32)
}

function isWord(point: number): boolean {
  return (point >= 48 && point <= 57) || (point >= 65 && point <= 90) || point === 95 || (point >= 97 && point <= 122)
}
