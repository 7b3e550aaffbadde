import { createRequire } from 'node:module'
import { fileURLToPath } from 'node:url'
import express, { Router } from 'express'
import { ARTICLES } from './articles.js'
import { html, type Html } from './html.js'
import { layout } from './layout.js'
import { Orders, SEAT_PRICE } from './Orders.js'
import { shopPages } from './shopPages.js'
import type { Show } from './show.js'
import { skyPages } from './skyPages.js'

const NIGHTS = ['Friday: the moons of Jupiter', 'Saturday: galaxies of spring', 'Sunday: the dark lane']
/** The one page that was forgotten when the loader was installed. */
const WITHOUT_LOADER = '/journal/comet'

/** What the sitemap names; the survey finds the rest by links. */
const SITEMAP = ['/', '/nights', '/calendar', '/groups', '/journal', '/journal/reading-the-winter-sky', '/shop', '/sky']
const VIDEO = fileURLToPath(new URL('../../assets/sky-turning.webm', import.meta.url))

const files = createRequire(import.meta.url)
const FONTS: Record<string, string> = {
  'fraunces.woff2': '@fontsource-variable/fraunces/files/fraunces-latin-wght-normal.woff2',
  'figtree.woff2': '@fontsource-variable/figtree/files/figtree-latin-wght-normal.woff2',
}

/** Where the parts of the demo world are, as origins. */
export interface World {
  shop: string
  caja: string
  /** The relay link to the partner's lodge. */
  lodge: string
  /** Address of the loader script. */
  loader: string
}

/** The website of Altolucero Observatory. */
export function website(world: World): Router {
  const router = Router()
  // Orders of another run of the demo cannot come again.
  const orders = new Orders(Math.floor(Date.now() / 1000) % 10_000_000)
  router.use(express.urlencoded({ extended: false }))
  const show: Show = (response, path, page, status = 200) => {
    response.status(status).send(layout({ ...page, loader: path === WITHOUT_LOADER ? null : world.loader }))
  }
  skyPages(router, show)
  shopPages(router, show, world, orders)
  router.get('/sky-turning.webm', (_request, response) => void response.setHeader('Cache-Control', 'max-age=86400').sendFile(VIDEO))
  router.get('/sitemap.xml', (_request, response) => {
    const urls = SITEMAP.map((path) => `<url><loc>${world.shop}${path}</loc></url>`).join('')
    response.type('xml').send(`<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">${urls}</urlset>`)
  })
  router.get('/robots.txt', (_request, response) => {
    response.type('text/plain').send(`User-agent: *\nDisallow: /members\nSitemap: ${world.shop}/sitemap.xml\n`)
  })
  const field = (body: unknown, name: string): string => String((body as Record<string, unknown>)[name] ?? '').trim()

  router.get('/fonts/:name', (request, response) => {
    const file = FONTS[request.params.name]
    if (file) response.setHeader('Cache-Control', 'max-age=86400').sendFile(files.resolve(file))
    else response.status(404).end()
  })

  router.get('/', (_request, response) =>
    show(response, '/', {
      title: 'Home',
      sky: {
        heading: 'The darkest sky within an hour of anywhere',
        text: 'A small public observatory on a ridge. Come up after sunset, look through the big glass, and stay for soup.',
        action: { href: '/nights', label: 'See the star nights' },
      },
      body: html`
        <h2>What you can do here</h2>
        <div class="cards">
          <div class="card">
            <h3>Star nights</h3>
            <p>Three hours with a guide, the big glass, and whatever is up.</p>
            <a href="/nights">Choose a night</a>
          </div>
          <div class="card">
            <h3>Sky calendar</h3>
            <p>Twelve pages, one for each month. Free, by mail.</p>
            <a href="/calendar">Get the calendar</a>
          </div>
          <div class="card">
            <h3>Groups</h3>
            <p>Schools, clubs and birthdays, from eight people.</p>
            <a href="/groups">Ask for a date</a>
          </div>
        </div>
        <h2>From the journal</h2>
        <div class="cards">${articleCards()}</div>
      `,
    }),
  )

  router.get('/nights', (_request, response) =>
    show(response, '/nights', {
      title: 'Star nights',
      sky: {
        heading: 'Three hours under the real sky',
        text: `Guided nights for up to twelve people. ${SEAT_PRICE} € a seat, soup included; cloud means your money back.`,
        action: { href: '/nights/book', label: 'Book your seats' },
      },
      body: html`
        <h1>This week</h1>
        <div class="cards">
          ${NIGHTS.map(
            (night) => html`
              <div class="card">
                <h3>${night}</h3>
                <p>21:30 to 00:30, on the terrace and in the dome.</p>
                <p class="price">${SEAT_PRICE} €</p>
                <a class="button" href="/nights/book">Choose seats</a>
              </div>
            `,
          )}
        </div>
        <h2>How the sky turns</h2>
        <video controls muted playsinline preload="metadata" width="480" title="The sky turning over the ridge" src="/sky-turning.webm"></video>
        <section id="lodge-offers" class="card" style="margin-top:38px">
          <h3>Sleep below the dome</h3>
          <p>The lodge in the valley keeps rooms for our guests, with breakfast until noon.</p>
          <a class="button" href="${world.lodge}?guest=the-observatory">See the rooms</a>
          <a href="/files/map-to-the-lodge.pdf">Map (PDF)</a>
        </section>
      `,
    }),
  )

  router.get('/nights/book', (_request, response) => show(response, '/nights/book', { title: 'Book seats', body: bookingForm() }))
  router.post('/nights/book', (request, response) => {
    const seats = Number(field(request.body, 'seats'))
    if (!Number.isInteger(seats) || seats < 1 || seats > 12) {
      return show(response, '/nights/book', { title: 'Book seats', body: bookingForm('Choose between one and twelve seats.') }, 422)
    }
    const order = orders.book(field(request.body, 'night'), seats)
    const back = `${world.shop}/nights/thanks?order=${order.number}`
    response.redirect(303, `${world.caja}/pay?${new URLSearchParams({ order: order.number, amount: order.total.toFixed(2), back }).toString()}`)
  })
  router.get('/nights/thanks', (request, response) => {
    const number = typeof request.query.order === 'string' ? request.query.order : ''
    const order = orders.find(number)
    show(response, '/nights/thanks', {
      title: 'See you there',
      ...(order && { order: { number: order.number, total: order.total, seats: order.seats } }),
      body: order
        ? html`
            <h1>See you there</h1>
            <p class="done">
              Order
              <strong>${order.number}</strong>
              : ${order.seats} ${order.seats === 1 ? 'seat' : 'seats'}, ${order.total.toFixed(2)} €. ${order.night}
            </p>
            <p>Bring a warm coat and this number. The gate opens at nine.</p>
          `
        : html`
            <h1>See you there</h1>
            <p>Your receipt was sent by mail. If you booked, everything is in order.</p>
          `,
    })
  })

  router.get('/calendar', (_request, response) =>
    show(response, '/calendar', {
      title: 'Sky calendar',
      sky: {
        heading: 'Twelve months of sky, free',
        text: 'Moon phases, meteor showers, where the planets stand: one page for each month, to pin on the kitchen wall.',
      },
      body: html`
        <h1>Where shall we send it?</h1>
        <form class="fields" id="calendar" name="calendar" method="post" action="/calendar">
          <label>
            Your name
            <input name="name" required autocomplete="name" />
          </label>
          <label>
            E-mail
            <input name="email" type="email" required autocomplete="email" />
          </label>
          <div><button>Send me the calendar</button></div>
        </form>
      `,
    }),
  )
  router.post('/calendar', (_request, response) => response.redirect(303, '/calendar/thanks'))
  router.get('/calendar/thanks', (_request, response) =>
    show(response, '/calendar/thanks', {
      title: 'It is on its way',
      body: html`
        <h1>It is on its way</h1>
        <p class="done">Look into your mail: the calendar is there.</p>
        <p>
          While you are here:
          <a href="/nights">come and see it for real</a>
          .
        </p>
      `,
    }),
  )

  router.get('/files/map-to-the-lodge.pdf', (_request, response) => void response.type('text/plain').send('Down the track, left at the fountain.'))

  router.post('/newsletter', (_request, response) => void response.status(204).end())

  router.get('/groups', (_request, response) => show(response, '/groups', { title: 'Groups', body: groupForm() }))
  router.post('/groups', (request, response) => {
    const people = Number(field(request.body, 'people'))
    if (!(people >= 8 && people <= 60))
      return show(response, '/groups', { title: 'Groups', body: groupForm('We take groups from eight to sixty people.') }, 422)
    response.redirect(303, '/groups/thanks')
  })
  router.get('/groups/thanks', (_request, response) =>
    show(response, '/groups/thanks', {
      title: 'We will call you',
      body: html`
        <h1>We will call you</h1>
        <p class="done">Thank you. Somebody from the dome calls within two days.</p>
      `,
    }),
  )

  router.get('/journal', (_request, response) =>
    show(response, '/journal', {
      title: 'Journal',
      body: html`
        <h1>Journal</h1>
        <div class="cards">${articleCards()}</div>
      `,
    }),
  )
  for (const article of ARTICLES) {
    const path = `/journal/${article.slug}`
    router.get(path, (_request, response) =>
      show(response, path, {
        title: article.title,
        body: html`
          <article>
            <h1>${article.title}</h1>
            <p><strong>${article.lead}</strong></p>
            ${article.paragraphs.map((paragraph) => html` <p>${paragraph}</p> `)}
            <p><a class="button" href="/nights">See it with us</a></p>
          </article>
        `,
      }),
    )
  }

  router.get('/members', (request, response) => {
    if (/(^|; )member=yes/.test(request.headers.cookie ?? '')) {
      return show(response, '/members', {
        title: 'Members',
        body: html`
          <h1>Good evening</h1>
          <p>The terrace is yours on Wednesdays. This month: collimation with Inés, bring your own mirror.</p>
          <form method="post" action="/members/leave"><button>Leave</button></form>
        `,
      })
    }
    response.redirect(303, '/members/enter')
  })
  router.get('/members/enter', (_request, response) =>
    show(response, '/members/enter', {
      title: 'Members',
      body: html`
        <h1>Members' area</h1>
        <form class="fields" id="member" method="post" action="/members/enter">
          <label>
            Member number
            <input name="number" required />
          </label>
          <label>
            Word
            <input name="word" type="password" required />
          </label>
          <div><button>Enter</button></div>
          <p class="small">Any number and word will do; this is a demo.</p>
        </form>
      `,
    }),
  )
  router.post('/members/enter', (_request, response) => void response.cookie('member', 'yes', { httpOnly: true, sameSite: 'lax' }).redirect(303, '/members'))
  router.post('/members/leave', (_request, response) => void response.clearCookie('member').redirect(303, '/'))

  router.use((_request, response) =>
    show(
      response,
      '',
      {
        title: 'Not found',
        body: html`
          <h1>Nothing up here</h1>
          <p>
            This page does not exist.
            <a href="/">Back to the ground</a>
          </p>
        `,
      },
      404,
    ),
  )
  return router
}

function articleCards(): Html[] {
  return ARTICLES.map(
    (article) => html`
      <div class="card">
        <h3>${article.title}</h3>
        <p>${article.lead}</p>
        <a href="/journal/${article.slug}">Read on</a>
      </div>
    `,
  )
}

function bookingForm(error?: string): Html {
  return html`
    <h1>Book your seats</h1>
    ${error && html` <p class="error">${error}</p> `}
    <form class="fields" id="booking" name="booking" method="post" action="/nights/book">
      <label>
        Night
        <select name="night">
          ${NIGHTS.map((night) => html` <option>${night}</option> `)}
        </select>
      </label>
      <label>
        Seats
        <input name="seats" type="number" min="1" max="12" value="2" required />
      </label>
      <label>
        Your name
        <input name="name" required autocomplete="name" />
      </label>
      <div><button>On to payment</button></div>
    </form>
  `
}

function groupForm(error?: string): Html {
  return html`
    <h1>A night for your group</h1>
    ${error && html` <p class="error">${error}</p> `}
    <form class="fields" id="enquiry" name="enquiry" method="post" action="/groups">
      <label>
        Who are you?
        <input name="name" required />
      </label>
      <label>
        How many people?
        <input name="people" inputmode="numeric" required />
      </label>
      <label>
        When?
        <textarea name="wish" rows="3"></textarea>
      </label>
      <div><button>Ask</button></div>
    </form>
  `
}
