import type { Wiring } from '@acequia/core/wiring/wiringSchema'
import { parse } from 'acorn'
import * as cheerio from 'cheerio'

/**
 * What is wrong with the scripts of a wiring, by path. Each is parsed as a function's body by itself,
 * so that none can break out of its place in the loader and none can keep the others from running.
 */
export function scriptErrors(wiring: Wiring): { path: string; message: string }[] {
  return wiring.tags.flatMap(({ name, does }, index) => {
    if (does.type === 'script') {
      const message = syntaxError(does.code)
      return message ? [{ path: `tags.${index}.does.code`, message: `The script of "${name}" cannot be read: ${message}` }] : []
    }
    if (does.type !== 'html') return []
    const $ = cheerio.load(does.html, null, false)
    const messages = $('script:not([src])')
      .toArray()
      .filter((element) => /^(|text\/javascript|module)$/i.test($(element).attr('type') ?? ''))
      .flatMap((element) => syntaxError($(element).text()) ?? [])
    return messages.map((message) => ({ path: `tags.${index}.does.html`, message: `A script in the HTML of "${name}" cannot be read: ${message}` }))
  })
}

/** Why a function's body cannot be read, with line and column; null when it can. */
export function syntaxError(code: string): string | null {
  try {
    parse(code, { ecmaVersion: 2022, sourceType: 'script', allowReturnOutsideFunction: true })
    return null
  } catch (error) {
    const { message, loc } = error as { message: string; loc?: { line: number; column: number } }
    return `${message.replace(/ \(\d+:\d+\)$/, '')}${loc ? ` (line ${loc.line}, column ${loc.column + 1})` : ''}.`
  }
}
