import type { Router } from 'express'
import { html, Html } from './html.js'
import type { Orders } from './Orders.js'
import type { Show } from './show.js'

const EYEPIECES = [
  { id: 'wide-24', name: 'Wide field, 24 mm', price: 89 },
  { id: 'planet-9', name: 'Planets, 9 mm', price: 64.5 },
  { id: 'moon-filter', name: 'Moon filter', price: 19 },
]

const euro = (amount: number): string => amount.toFixed(2).replace('.', ',') + ' €'

/** The eyepiece shop: a list, a basket kept in a cookie, and a receipt. */
export function shopPages(router: Router, show: Show, world: { shop: string; caja: string }, orders: Orders): void {
  const basketOf = (cookies: string | undefined): typeof EYEPIECES => {
    const ids = /(?:^|; )basket=([^;]*)/.exec(cookies ?? '')?.[1]?.split('.') ?? []
    return ids.flatMap((id) => EYEPIECES.find((each) => each.id === id) ?? [])
  }
  router.get('/shop', (_request, response) =>
    show(response, '/shop', {
      title: 'Eyepieces',
      body: html`
        <h1>Eyepieces, tried under our own sky</h1>
        <div class="cards">
          ${EYEPIECES.map(
            ({ id, name, price }) => html`
              <div class="card">
                <h3>${name}</h3>
                <p class="price">${euro(price)}</p>
                <button class="into-basket" data-id="${id}" data-price="${price}">Into the basket</button>
              </div>
            `,
          )}
        </div>
        <p>
          <a href="/shop/basket">To the basket</a>
          <span id="basket-count"></span>
        </p>
        <script>
          ${new Html(SCRIPT)}
        </script>
      `,
    }),
  )
  router.get('/shop/basket', (request, response) => {
    const basket = basketOf(request.headers.cookie)
    const total = basket.reduce((sum, each) => sum + each.price, 0)
    show(response, '/shop/basket', {
      title: 'Basket',
      body: html`
        <h1>Your basket</h1>
        ${basket.map(({ name, price }) => html` <p>${name}, ${euro(price)}</p> `)}
        <p>
          Total:
          <strong id="basket-total">${euro(total)}</strong>
        </p>
        ${basket.length > 0 && html` <form id="checkout" method="post" action="/shop/basket"><button>On to payment</button></form> `}
        ${basket.length === 0 && html` <p>Nothing in it yet.</p> `}
      `,
    })
  })
  router.post('/shop/basket', (request, response) => {
    const basket = basketOf(request.headers.cookie)
    const total = basket.reduce((sum, each) => sum + each.price, 0)
    const order = orders.sell(basket.map((each) => each.name).join(', '), total)
    const back = `${world.shop}/shop/thanks?order=${order.number}`
    response.clearCookie('basket', { path: '/' })
    response.redirect(303, `${world.caja}/pay?${new URLSearchParams({ order: order.number, amount: total.toFixed(2), back }).toString()}`)
  })
  router.get('/shop/thanks', (request, response) => {
    const order = orders.find(typeof request.query.order === 'string' ? request.query.order : '')
    show(response, '/shop/thanks', {
      title: 'On its way',
      ...(order && { order: { number: order.number, total: order.total, seats: 1 } }),
      body: html`
        <h1>On its way</h1>
        <p class="done">${order ? `${order.night}: ${euro(order.total)}` : 'Your receipt was sent by mail.'}</p>
      `,
    })
  })
}

/** Puts things into the basket in place, and tells the loader by a signal. */
const SCRIPT = `
document.addEventListener('click', function (event) {
  var button = event.target.closest('.into-basket');
  if (!button) return;
  var now = (document.cookie.match(/(?:^|; )basket=([^;]*)/) || [])[1];
  document.cookie = 'basket=' + (now ? now + '.' : '') + button.dataset.id + '; path=/';
  document.getElementById('basket-count').textContent = '(' + document.cookie.match(/basket=([^;]*)/)[1].split('.').length + ')';
  (window.acequia = window.acequia || []).push(['signal', 'basket-filled', { item: button.dataset.id, value: Number(button.dataset.price), currency: 'EUR' }]);
});
`
