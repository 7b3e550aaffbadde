import { Router } from 'express'
import { html } from '../website/html.js'
import { Ledger } from './Ledger.js'
import { outsidePage } from './outsidePage.js'

const PIXEL = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64')

/** Farola's library: empties the queue that pages fill before it has loaded, then takes calls at once. */
const LIBRARY = `(function () {
  var waiting = window.farola || [], account = '', origin = new URL(document.currentScript.src).origin;
  function hit(what, more) {
    var query = new URLSearchParams({ account: account, what: what, page: location.href });
    Object.keys(more || {}).forEach(function (name) { if (more[name] !== undefined) query.set(name, more[name]); });
    new Image().src = origin + '/hit.gif?' + query;
  }
  function take(call) {
    if (call[0] === 'light') account = call[1];
    if (call[0] === 'seen') hit('seen');
    if (call[0] === 'told') hit(call[1], call[2]);
  }
  window.farola = { push: take };
  waiting.forEach(take);
})();
`

/** *Farola Search*, a stand-in for a place where ads are bought: a pixel by script, one by image, and a ledger. */
export function farola(): { router: Router; ledger: Ledger } {
  const router = Router()
  const ledger = new Ledger()
  const text = (value: unknown): string => (typeof value === 'string' ? value.slice(0, 500) : '')
  router.get('/lantern.js', (_request, response) => {
    response.type('text/javascript').setHeader('Cache-Control', 'max-age=300')
    response.send(LIBRARY)
  })
  router.get(['/hit.gif', '/image.gif'], (request, response) => {
    const { account, what, page, worth, in: currency, number } = request.query
    ledger.add({
      at: Date.now(),
      account: text(account),
      what: text(what),
      worth: text(worth),
      currency: text(currency),
      order: text(number),
      page: text(page) || text(request.headers.referer),
      by: request.path === '/hit.gif' ? 'script' : 'image',
    })
    response.type('image/gif').setHeader('Cache-Control', 'no-store')
    response.send(PIXEL)
  })
  router.get('/ledger.json', (_request, response) => void response.json(ledger.list()))
  router.get(['/', '/ledger'], (_request, response) => {
    const rows = ledger.list().slice(0, 200)
    response.send(
      outsidePage(
        'Farola Search: ledger',
        html`
          <h1>What Farola Search received</h1>
          <p>Newest first, since the demo was started: ${ledger.list().length} entries. Reload to see more.</p>
          <table>
            <thead>
              <tr>
                <th>When</th>
                <th>Lantern number</th>
                <th>What</th>
                <th>Worth</th>
                <th>Order</th>
                <th>Page</th>
                <th>By</th>
              </tr>
            </thead>
            <tbody>
              ${rows.map(
                (row) => html`
                  <tr>
                    <td>${new Date(row.at).toLocaleTimeString('en-GB')}</td>
                    <td>${row.account}</td>
                    <td><strong>${row.what}</strong></td>
                    <td>${row.worth} ${row.currency}</td>
                    <td>${row.order}</td>
                    <td>${row.page}</td>
                    <td>${row.by}</td>
                  </tr>
                `,
              )}
            </tbody>
          </table>
          ${rows.length === 0 && html` <p class="empty">Nothing yet. Open a page of the observatory whose loader carries Farola's pixel.</p> `}
        `,
      ),
    )
  })
  return { router, ledger }
}
