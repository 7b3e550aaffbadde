/** Some visitors of a site: a list of numbers, or a span of them, both ends included. */
export type Who = { ids: number[] } | { first: number; last: number }

/**
 * The rows of some visitors in a table of a derivation, called `t`, as what follows FROM. Every row is found by its
 * key: a list in a condition may make MariaDB look through the whole derivation, and wait for rows of other workers.
 */
export function rowsOf(who: Who, table: 'visits' | 'conversions', derivationNo: number): { from: string; values: unknown[] } {
  return 'ids' in who
    ? {
        from: `${listed('taken')} STRAIGHT_JOIN ${table} AS t FORCE INDEX (PRIMARY) ON t.derivation_no = ? AND t.visitor_id = taken.id`,
        values: [JSON.stringify(who.ids), derivationNo],
      }
    : {
        from: `${table} AS t FORCE INDEX (PRIMARY) WHERE t.derivation_no = ? AND t.visitor_id BETWEEN ? AND ?`,
        values: [derivationNo, who.first, who.last],
      }
}

/** A table of numbers to join with, of the single column `id`; its value is a JSON array. */
export function listed(name: string): string {
  return `JSON_TABLE(?, '$[*]' COLUMNS (id INT UNSIGNED PATH '$')) AS ${name}`
}
