import express, { type Express, type RequestHandler } from 'express'
import { html } from '../website/html.js'
import { website } from '../website/website.js'
import type { Trickle } from '../visitors/Trickle.js'
import { caja } from './caja.js'
import { corrillo } from './corrillo.js'
import { farola } from './farola.js'
import { lodge } from './lodge.js'
import type { Paloma } from './Paloma.js'
import { vela } from './vela.js'
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
export interface WorldOrigins {
  shop: string
  caja: string
  farola: string
  corrillo: string
  vela: string
  paloma: string
  lodge: string
  index: string
}

/** Origins of a demo world on a port. */
export function originsOf(port: number): WorldOrigins {
  const at = (name: string): string => `http://${name}:${port}`
  return {
    shop: at('altolucero.localhost'),
    caja: at('caja.localhost'),
    farola: at('farola.localhost'),
    corrillo: at('corrillo.localhost'),
    vela: at('vela.localhost'),
    paloma: at('paloma.localhost'),
    lodge: at('lodge.localhost'),
    index: at('localhost'),
  }
}

/** The whole demo world on one port, told apart by host: the website, the stand-ins, and a page that lists them. */
export function demoWorld({ port, acequia, key }: WorldAddresses, trickle: Trickle, paloma: Paloma): Express {
  const app = express()
  app.disable('x-powered-by')
  const origins = originsOf(port)
  let desk = 0
  const hosts: Record<string, RequestHandler> = {
    'altolucero.localhost': website({ shop: origins.shop, caja: origins.caja, lodge: `${acequia}/r/${key}/lodge`, loader: `${acequia}/l/${key}.js` }),
    'caja.localhost': caja(origins.shop),
    'farola.localhost': farola(),
    'corrillo.localhost': corrillo(),
    'vela.localhost': vela(),
    'paloma.localhost': paloma.router(),
    'lodge.localhost': lodge(origins.shop),
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
              Where ads are bought, and what arrived there:
              <a href="${origins.farola}/ledger">Farola Search</a>
              ,
              <a href="${origins.corrillo}/ledger">Corrillo Social</a>
              ,
              <a href="${origins.vela}/ledger">Vela Display</a>
            </li>
            <li>
              <a href="${origins.paloma}/">Paloma Post</a>
              , the mail box
            </li>
            <li>
              <a href="${origins.lodge}/">The lodge below</a>
              , a partner
            </li>
            <li>
              <a href="${acequia}/">Acequia</a>
              itself
            </li>
          </ul>
          <p>The desk was told of ${desk} group enquiries.</p>
          <form method="post" action="/visitors">
            <p>Simulated visitors ${trickle.on ? 'are coming, one about every twelve seconds.' : 'are not coming.'}</p>
            <button name="on" value="${trickle.on ? 'no' : 'yes'}">${trickle.on ? 'Stop them' : 'Let them come'}</button>
          </form>
        `,
      ),
    )
  })
  // The observatory's own desk, which a tag tells of group enquiries.
  app.options('/desk', (_request, response) => void response.set('Access-Control-Allow-Origin', '*').sendStatus(204))
  app.post('/desk', (_request, response) => {
    desk++
    response.set('Access-Control-Allow-Origin', '*').sendStatus(204)
  })
  app.post('/visitors', express.urlencoded({ extended: false }), (request, response) => {
    trickle.turn((request.body as { on?: string }).on === 'yes')
    response.redirect(303, '/')
  })
  return app
}
