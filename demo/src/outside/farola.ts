import type { Router } from 'express'
import { PIXEL, standIn, text } from './standIn.js'

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

/** *Farola Search*, a stand-in for a place where ads are bought: a library with a queue, and a pixel as image. */
export function farola(): Router {
  const { router, add } = standIn({ name: 'Farola Search', account: 'Lantern number', base: 'seen' })
  router.get('/lantern.js', (_request, response) => {
    response.type('text/javascript').setHeader('Cache-Control', 'max-age=300')
    response.send(LIBRARY)
  })
  router.get(['/hit.gif', '/image.gif'], (request, response) => {
    const { account, what, page, worth, in: currency, number, light } = request.query
    add({
      account: text(account),
      what: text(what),
      worth: text(worth),
      currency: text(currency),
      order: text(number),
      click: text(light),
      page: text(page) || text(request.headers.referer),
      by: request.path === '/hit.gif' ? 'script' : 'image',
    })
    response.type('image/gif').setHeader('Cache-Control', 'no-store')
    response.send(PIXEL)
  })
  return router
}
