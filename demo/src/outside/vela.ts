import type { Router } from 'express'
import { PIXEL, standIn, text } from './standIn.js'

/** How long Vela takes to answer, in ms. */
const SLOW_MS = 1200

/** *Vela Display*, a stand-in that only knows images, and is slow. */
export function vela(): Router {
  const { router, add } = standIn({ name: 'Vela Display', account: 'Sail', base: 'in-sight' })
  router.get('/wind.gif', (request, response) => {
    const { sail, knot, weight, money, berth, gust, ...rest } = request.query
    const extra = Object.entries(rest).map(([name, value]) => `${name}=${text(value)}`)
    add({
      account: text(sail),
      what: text(knot),
      worth: text(weight),
      currency: text(money),
      order: text(berth),
      click: text(gust),
      page: [text(request.headers.referer), ...extra].filter(Boolean).join(' '),
      by: 'image',
    })
    setTimeout(() => {
      response.type('image/gif').setHeader('Cache-Control', 'no-store')
      response.send(PIXEL)
    }, SLOW_MS)
  })
  return router
}
