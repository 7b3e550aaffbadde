import type { Router } from 'express'
import { standIn, text } from './standIn.js'

/** Every so many requests Corrillo is busy talking and answers with an error. */
const FAILS_EVERY = 9

/**
 * *Corrillo Social*, a stand-in that takes JSON requests only, wants an order number with every
 * payment, and fails now and then.
 */
export function corrillo(): Router {
  const { router, add } = standIn({ name: 'Corrillo Social', account: 'Circle', base: 'came-by' })
  let requests = 0
  router.post('/heard', (request, response) => {
    let given: Record<string, unknown> = {}
    try {
      given = JSON.parse(String(request.body)) as Record<string, unknown>
    } catch {
      // What is no JSON has no circle either.
    }
    const entry = {
      account: text(given.circle),
      what: text(given.gossip),
      worth: text(given.amount),
      currency: text(given.coin),
      order: text(given.receipt),
      click: text(given.whisper),
      page: text(given.where) || text(request.headers.referer),
      by: 'request',
    }
    const refuse = (status: number, problem: string): void => {
      add({ ...entry, problem })
      response.status(status).json({ problem })
    }
    if (++requests % FAILS_EVERY === 0) return refuse(503, 'busy talking, try again')
    if (!entry.account || !entry.what) return refuse(400, 'circle or gossip is missing')
    if (entry.what === 'paid' && !entry.order) return refuse(400, 'a payment needs a receipt')
    add(entry)
    response.json({ heard: true })
  })
  return router
}
