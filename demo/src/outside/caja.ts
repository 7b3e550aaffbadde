import express, { Router } from 'express'
import { html } from '../website/html.js'
import { outsidePage } from './outsidePage.js'

/** *Caja*, a stand-in for a payment page on an origin of its own. It sends people back only to `shop`. */
export function caja(shop: string): Router {
  const router = Router()
  const backTo = (given: unknown): string | null => {
    const address = typeof given === 'string' && URL.canParse(given) ? new URL(given) : null
    return address?.origin === shop ? address.href : null
  }
  router.get('/pay', (request, response) => {
    const back = backTo(request.query.back)
    if (!back) return void response.status(400).send(outsidePage('Caja', html` <h1>This payment is not known</h1> `))
    response.send(
      outsidePage(
        'Caja: pay',
        html`
          <div class="card">
            <h1>Pay with Caja</h1>
            <p>Altolucero Observatory, order ${String(request.query.order ?? '')}</p>
            <p class="amount">${String(request.query.amount ?? '')} €</p>
            <form id="payment" method="post" action="/pay">
              <input type="hidden" name="back" value="${back}" />
              <button>Pay now</button>
            </form>
            <p class="note">
              No money moves here; this is part of the demo.
              <a href="${new URL('/nights/book', shop).href}">Cancel</a>
            </p>
          </div>
        `,
      ),
    )
  })
  router.post('/pay', express.urlencoded({ extended: false }), (request, response) => {
    const back = backTo((request.body as Record<string, unknown>).back)
    if (back) response.redirect(303, back)
    else response.status(400).send(outsidePage('Caja', html` <h1>This payment is not known</h1> `))
  })
  return router
}
