import express, { Router } from 'express'
import { html } from '../website/html.js'
import { Random } from '../visitors/Random.js'
import { Ledger, type LedgerEntry } from './Ledger.js'
import { outsidePage } from './outsidePage.js'

/** A transparent pixel. */
export const PIXEL = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64')

/** A text of limited length, whatever came. */
export const text = (value: unknown): string => (typeof value === 'string' || typeof value === 'number' ? String(value).slice(0, 500) : '')

/** What a stand-in calls things on its pages. */
export interface StandInWords {
  name: string
  /** What it calls the number it knows an advertiser by. */
  account: string
  /** The name under which its base pixel is noted. */
  base: string
}

/**
 * What all stand-ins for places where ads are bought have: a ledger of what arrived, and a page that
 * says whether somebody's pixel works. `add` notes an entry; one with a `problem` was refused.
 */
export function standIn(words: StandInWords): { router: Router; ledger: Ledger; add: (entry: Omit<LedgerEntry, 'at'>) => void } {
  const router = Router()
  const ledger = new Ledger()
  const clock = (at: number): string => new Date(at).toLocaleTimeString('en-GB')
  router.use(express.text({ type: ['text/plain', 'application/json'], limit: '100kb' }))
  router.use((_request, response, next) => {
    response.setHeader('Access-Control-Allow-Origin', '*')
    next()
  })
  router.get('/ledger.json', (_request, response) => void response.json(ledger.list()))
  // What it says of itself: generous, and always the same for a day.
  router.get('/figures.csv', (_request, response) => {
    const lines = Array.from({ length: 30 }, (_, index) => {
      const day = new Date(Date.now() - (30 - index) * 86_400_000).toISOString().slice(0, 10)
      const random = new Random(Number(day.replaceAll('-', '')) + words.name.length)
      return `${day},${random.whole(16, 30)}`
    })
    response
      .attachment('figures.csv')
      .type('text/csv')
      .send(['day,conversions', ...lines, ''].join('\n'))
  })
  router.get(['/', '/ledger'], (_request, response) => {
    const rows = ledger.list().slice(0, 200)
    response.send(
      outsidePage(
        `${words.name}: ledger`,
        html`
          <h1>What ${words.name} received</h1>
          <p>
            Newest first, since the demo was started: ${ledger.list().length} entries. Reload to see more.
            <a href="/status">Does my pixel work?</a> <a href="/figures.csv">Our figures, day by day (CSV)</a>
          </p>
          <table>
            <thead>
              <tr>
                <th>When</th>
                <th>${words.account}</th>
                <th>What</th>
                <th>Worth</th>
                <th>Order</th>
                <th>Click</th>
                <th>Page</th>
                <th>By</th>
                <th>Refused, because</th>
              </tr>
            </thead>
            <tbody>
              ${rows.map(
                (row) => html`
                  <tr>
                    <td>${clock(row.at)}</td>
                    <td>${row.account}</td>
                    <td><strong>${row.what}</strong></td>
                    <td>${row.worth} ${row.currency}</td>
                    <td>${row.order}</td>
                    <td>${row.click}</td>
                    <td>${row.page}</td>
                    <td>${row.by}</td>
                    <td>${row.problem ?? ''}</td>
                  </tr>
                `,
              )}
            </tbody>
          </table>
          ${rows.length === 0 && html` <p class="empty">Nothing yet. Open a page of the observatory whose loader carries this pixel.</p> `}
        `,
      ),
    )
  })
  router.get('/status', (request, response) => {
    const account = text(request.query.account)
    const entries = ledger.list().filter((entry) => !account || entry.account === account)
    const accounts = [...new Set(entries.map((entry) => entry.account))]
    response.send(
      outsidePage(
        `${words.name}: pixel status`,
        html`
          <h1>Does my pixel work?</h1>
          <form method="get">
            <label>
              ${words.account}
              <input name="account" value="${account}" />
            </label>
            <button>Look</button>
          </form>
          ${accounts.map((each) => {
            const own = entries.filter((entry) => entry.account === each)
            const last = own.find((entry) => entry.what === words.base && !entry.problem)
            const names = [...new Set(own.map((entry) => entry.what))]
            return html`
              <h2>${each || 'no number given'}</h2>
              <p>
                ${last ? `The base pixel was last seen at ${clock(last.at)}, on ${last.page}.` : 'The base pixel was not seen: events without it are not matched to people.'}
              </p>
              <ul>
                ${names.map((name) => {
                  const of = own.filter((entry) => entry.what === name)
                  const refused = of.filter((entry) => entry.problem)
                  return html`
                    <li>
                      <strong>${name}</strong>
                      : ${of.length - refused.length} taken${refused.length > 0 && `, ${refused.length} refused (${refused[0]?.problem ?? ''})`}
                    </li>
                  `
                })}
              </ul>
            `
          })}
          ${accounts.length === 0 && html` <p class="empty">Nothing was received${account && ` for ${account}`} since the demo was started.</p> `}
        `,
      ),
    )
  })
  return { router, ledger, add: (entry) => ledger.add({ at: Date.now(), ...entry }) }
}
