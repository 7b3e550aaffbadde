import type * as z from 'zod'

/** One thing wrong with an input. */
export interface InputError {
  /** Dotted path of the field; empty for the whole input. */
  path: string
  message: string
}

/** Every error an answer can carry, with its status and title. Types are `/problems/NAME`. */
const PROBLEMS = {
  'bad-input': [400, 'The input is not right'],
  'sign-in': [401, 'Sign in first'],
  forbidden: [403, 'Not allowed'],
  'foreign-host': [403, 'This address is not part of the site'],
  'not-found': [404, 'Not found'],
  conflict: [409, 'Somebody else saved in between'],
  'in-use': [409, 'Something else still needs this'],
  'ask-first': [409, 'This needs a yes'],
  'too-large': [413, 'Too large'],
  'too-many': [429, 'Too many requests'],
  internal: [500, 'Something went wrong on our side'],
  unavailable: [503, 'Not available at the moment'],
} as const

/** The name of a problem. */
export type ProblemName = keyof typeof PROBLEMS

/** An error that is answered as RFC 9457 `application/problem+json`. */
export class Problem extends Error {
  readonly status: number

  constructor(
    readonly problem: ProblemName,
    /** What happened and what to do, in a sentence. */
    detail: string,
    /** Extra members of the answer, such as `errors`. */
    readonly extra: Record<string, unknown> = {},
  ) {
    super(detail)
    this.status = PROBLEMS[problem][0]
  }

  /** The answer's body. */
  toJSON(): Record<string, unknown> {
    return { type: `/problems/${this.problem}`, title: PROBLEMS[this.problem][1], status: this.status, detail: this.message, ...this.extra }
  }
}

/** Input errors out of a failed Zod check. */
export function inputProblem(error: z.ZodError): Problem {
  return badInput(error.issues.map((issue) => ({ path: issue.path.map(String).join('.'), message: issue.message })))
}

/** A problem out of input errors found by ourselves. */
export function badInput(errors: InputError[]): Problem {
  const [first] = errors
  const more = errors.length > 1 ? ` (and ${errors.length - 1} more)` : ''
  return new Problem('bad-input', first ? `${first.path ? first.path + ': ' : ''}${first.message}${more}` : 'The input is not right.', {
    errors: errors.slice(0, 100),
  })
}

/** The thing asked for does not exist, or not for the one who asks. */
export function notFound(what: string): Problem {
  return new Problem('not-found', `There is no such ${what}.`)
}
