import { amountToNumber } from '../money/Amount.js'
import { NO_VISIT, readEvent, type ReadableEvent, type Reader } from '../readings/readEvent.js'
import { judgeCondition, type PreparedCondition, type PreparedRule } from '../rules/judge.js'
import type { Columns } from './Columns.js'

/** Which visit is being looked at; rules over its source read it. */
export interface ColumnCursor {
  visit: number
}

const UNKNOWN = 0
const NO = 1
const YES = 2

/** Tells whether the event at a position satisfies a rule. */
export type ColumnPredicate = (position: number) => boolean

/**
 * Makes a rule ready for columns: each condition is judged once for each distinct text it reads, by the
 * one evaluator, and then looked up.
 */
export function columnRule(rule: PreparedRule, columns: Columns, cursor: ColumnCursor): ColumnPredicate {
  const groups = rule.map((all) => all.map((condition) => predicateOf(condition, columns, cursor)))
  const [only] = groups
  if (!only) return () => true
  if (groups.length === 1) {
    const [one, other] = only
    if (only.length === 1) return one as ColumnPredicate
    if (only.length === 2) return (position) => (one as ColumnPredicate)(position) && (other as ColumnPredicate)(position)
  }
  return (position) => groups.some((all) => all.every((holds) => holds(position)))
}

/** How a reading is looked up in columns. */
interface ColumnReading {
  /** The column it follows from alone; null for those of the visit, and for what is read anew each time. */
  column: Uint32Array | null
  /** Which of its texts an event has; the position itself where nothing can be looked up. */
  idAt: (position: number) => number
  /** How many texts there are; 0 where nothing can be looked up. */
  size: number
  textOf: (id: number) => string | undefined
}

/** How a reading is looked up: the column it follows from, and how it is read from one of its texts. */
export function columnReading(reading: string, columns: Columns, cursor: ColumnCursor): ColumnReading {
  const { texts } = columns
  const by = (column: Uint32Array, list: readonly string[], eventOf: (text: string) => Partial<ReadableEvent>): ColumnReading => ({
    column,
    idAt: (position: number) => column[position] as number,
    size: list.length,
    textOf: (id: number) => readEvent({ name: '', url: '', ...eventOf(list[id] as string) }, NO_VISIT)(reading),
  })
  switch (reading) {
    case 'event':
      return by(columns.name, texts.names, (name) => ({ name }))
    case 'path':
    case 'host':
      return by(columns.address, texts.addresses, (url) => ({ url }))
    case 'title':
      return by(columns.title, texts.titles, (title) => ({ title }))
    case 'referrer':
    case 'referrerHost':
      return by(columns.referrer, texts.referrers, (referrer) => ({ referrer }))
    case 'currency':
      return by(columns.currency, texts.currencies, (currency) => ({ currency }))
    case 'order':
      return by(columns.order, texts.orders, (order) => ({ order }))
    case 'source':
    case 'medium':
    case 'campaign':
      return {
        column: null,
        idAt: () => columns.visitSource[cursor.visit] as number,
        size: texts.sources.length,
        textOf: (id) => texts.sources[id]?.[reading] ?? undefined,
      }
  }
  if (reading === 'query' || reading.startsWith('query.')) return by(columns.rest, texts.rests, (rest) => ({ url: `https://x${rest}` }))
  if (reading.startsWith('data.') || reading.startsWith('own.'))
    return by(columns.data, texts.data, (text) => ({ data: text ? (JSON.parse(text) as Record<string, string>) : null }))
  // Whole addresses and values are too many for a table: they are read each time.
  const read = readerAt(columns, cursor)
  return { column: null, idAt: (position) => position, size: 0, textOf: (position) => read(position)(reading) }
}

function predicateOf(condition: PreparedCondition, columns: Columns, cursor: ColumnCursor): ColumnPredicate {
  const { column, idAt, size, textOf } = columnReading(condition.reading, columns, cursor)
  if (!size) return (position) => judgeCondition(condition, textOf(idAt(position)))
  const known = new Uint8Array(size)
  const look = (id: number): boolean => {
    let verdict = known[id]
    if (verdict === UNKNOWN) known[id] = verdict = judgeCondition(condition, textOf(id)) ? YES : NO
    return verdict === YES
  }
  // Most of them without a call between.
  if (!column) return (position) => look(idAt(position))
  return (position) => {
    const id = column[position] as number
    const verdict = known[id]
    return verdict === UNKNOWN ? look(id) : verdict === YES
  }
}

/** Reads the event at a position as everybody else does. */
export function readerAt(columns: Columns, cursor: ColumnCursor): (position: number) => Reader {
  const { texts } = columns
  return (position) => {
    const value = columns.value[position] as number
    const data = columns.data[position] as number
    return readEvent(
      {
        name: texts.names[columns.name[position] as number] as string,
        url: (texts.addresses[columns.address[position] as number] as string) + (texts.rests[columns.rest[position] as number] as string),
        title: texts.titles[columns.title[position] as number] ?? null,
        referrer: texts.referrers[columns.referrer[position] as number] ?? null,
        currency: texts.currencies[columns.currency[position] as number] ?? null,
        order: texts.orders[columns.order[position] as number] ?? null,
        value: Number.isNaN(value) ? null : amountToNumber(value),
        data: data ? (JSON.parse(texts.data[data] as string) as Record<string, string>) : null,
      },
      texts.sources[columns.visitSource[cursor.visit] as number] ?? NO_VISIT,
    )
  }
}
