import { Router } from 'express'
import { html } from '../website/html.js'
import { outsidePage } from './outsidePage.js'

/** The partner's lodge in the valley, a site of somebody else's that knows nothing of Acequia. */
export function lodge(shop: string): Router {
  const router = Router()
  router.get(['/', '/rooms', '/offers'], (request, response) => {
    response.send(
      outsidePage(
        'The lodge below',
        html`
          <h1>The lodge below</h1>
          <div class="card">
            <p>Eleven rooms, one fireplace, no street lamps. Guests of the observatory sleep late.</p>
            ${typeof request.query.guest === 'string' && html` <p class="note">Welcome, guest of ${request.query.guest}.</p> `}
            <p><a href="${shop}/nights">Back up to the observatory</a></p>
          </div>
        `,
      ),
    )
  })
  return router
}
