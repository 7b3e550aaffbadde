import express, { type Express, type RequestHandler } from 'express'
import { html } from '../website/html.js'
import { website } from '../website/website.js'
import type { Trickle } from '../visitors/Trickle.js'
import { caja } from './caja.js'
import { farola } from './farola.js'
import { outsidePage } from './outsidePage.js'

/** Where everything in the demo world is found. */
export interface WorldAddresses {
  /** Port of the demo world. */
  port: number
  /** The application, as browsers reach it. */
  acequia: string
  key: string
}

/** Origins of the demo world by name. */
export function originsOf(port: number): { shop: string; caja: string; farola: string; index: string } {
  const at = (name: string): string => `http://${name}:${port}`
  return { shop: at('altolucero.localhost'), caja: at('caja.localhost'), farola: at('farola.localhost'), index: at('localhost') }
}

/** The whole demo world on one port, told apart by host: the website, the stand-ins, and a page that lists them. */
export function demoWorld({ port, acequia, key }: WorldAddresses, trickle: Trickle): Express {
  const app = express()
  app.disable('x-powered-by')
  const origins = originsOf(port)
  const hosts: Record<string, RequestHandler> = {
    'altolucero.localhost': website({ shop: origins.shop, caja: origins.caja, loader: `${acequia}/l/${key}.js` }),
    'caja.localhost': caja(origins.shop),
    'farola.localhost': farola().router,
  }
  app.use((request, response, next) => {
    const site = hosts[request.hostname]
    if (site) void site(request, response, next)
    else next()
  })
  app.get('/', (_request, response) => {
    response.send(
      outsidePage(
        "The demo's outside world",
        html`
          <h1>The demo's outside world</h1>
          <ul>
            <li>
              <a href="${origins.shop}/">Altolucero Observatory</a>
              , the measured website
            </li>
            <li>
              <a href="${origins.farola}/ledger">Farola Search</a>
              , where ads are bought: what it received
            </li>
            <li>
              <a href="${acequia}/">Acequia</a>
              itself
            </li>
          </ul>
          <form method="post" action="/visitors">
            <p>Simulated visitors ${trickle.on ? 'are coming, one about every twelve seconds.' : 'are not coming.'}</p>
            <button name="on" value="${trickle.on ? 'no' : 'yes'}">${trickle.on ? 'Stop them' : 'Let them come'}</button>
          </form>
        `,
      ),
    )
  })
  app.post('/visitors', express.urlencoded({ extended: false }), (request, response) => {
    trickle.turn((request.body as { on?: string }).on === 'yes')
    response.redirect(303, '/')
  })
  return app
}
