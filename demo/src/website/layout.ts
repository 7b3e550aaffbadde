import { html, Html } from './html.js'
import { STYLE } from './style.js'

/** What a page of the observatory is made of. */
export interface Page {
  title: string
  body: Html
  /** The opening over the night sky; left out on plain pages. */
  sky?: { heading: string; text: string; action?: { href: string; label: string } }
  /** The order as W3C digital data, on a receipt. */
  order?: { number: string; total: number; seats: number }
  /** Address of the loader; left out where a page lacks it. */
  loader: string | null
}

const RIDGE = new Html(
  '<svg viewBox="0 0 1200 130" preserveAspectRatio="none" aria-hidden="true"><path d="M0 130V84L120 52l90 34 130-58 96 44 84-30 120 52 110-66 96 50 130-70 104 58 120-30v94z" fill="#1a2138"/><path d="M0 130v-22l180-26 160 22 220-32 190 30 210-26 240 20v34z" fill="#0d1324"/><path d="M838 44h34v-9a17 17 0 0 0-34 0z" fill="#f3e9d2"/><path d="M853 20l14-14 5 5-13 13z" fill="#f0b64c"/></svg>',
)

/** A whole page of the observatory's website. */
export function layout({ title, body, sky, order, loader }: Page): string {
  const digitalData = order && {
    pageInstanceID: 'altolucero',
    transaction: {
      transactionID: order.number,
      total: { transactionTotal: order.total, currency: 'EUR' },
      item: [{ productInfo: { productName: 'Star night' }, quantity: order.seats }],
    },
  }
  return html`
    <!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width, initial-scale=1" />
        <title>${title} · Altolucero Observatory</title>
        <link rel="icon" href="data:," />
        <style>
          ${new Html(STYLE)}
        </style>
        ${digitalData && new Html(`<script>window.digitalData = ${JSON.stringify(digitalData).replace(/</g, '\\u003c')}</script>`)}
        ${loader !== null && html` <script async src="${loader}"></script> `}
      </head>
      <body>
        <header>
          <a class="name" href="/">Altolucero Observatory</a>
          <nav aria-label="Main">
            <a href="/nights">Star nights</a>
            <a href="/calendar">Sky calendar</a>
            <a href="/groups">Groups</a>
            <a href="/shop">Eyepieces</a>
            <a href="/sky">Sky tonight</a>
            <a href="/journal">Journal</a>
            <a href="/members">Members</a>
          </nav>
        </header>
        ${
          sky &&
          html`
            <div class="sky">
              <h1>${sky.heading}</h1>
              <p>${sky.text}</p>
              ${sky.action && html` <a class="button" href="${sky.action.href}">${sky.action.label}</a> `}${RIDGE}
            </div>
          `
        }
        <main>${body}</main>
        <footer>
          <div>
            <strong>Letters from the dome</strong>
            <p class="small">One letter a month: what to look for, and when.</p>
            <form id="newsletter" name="newsletter" action="/newsletter" method="post">
              <input type="email" name="email" required placeholder="you@mail.example" aria-label="E-mail address" />
              <button>Send me letters</button>
            </form>
          </div>
          <div class="small">
            <strong>Altolucero Observatory</strong>
            <p>Camino del Cielo, Altolucero. Open on clear nights. Everything here is made up.</p>
          </div>
        </footer>
        <script>
          ${NEWSLETTER}
        </script>
      </body>
    </html>
  `.text
}

/** The newsletter form answers in place, without changing the address. */
const NEWSLETTER = new Html(`
document.getElementById('newsletter').addEventListener('submit', function (event) {
  event.preventDefault();
  var form = event.target;
  fetch(form.action, { method: 'POST', body: new URLSearchParams(new FormData(form)) }).then(function () {
    var done = document.createElement('p');
    done.id = 'newsletter-done';
    done.className = 'done';
    done.style.color = '#1d2436';
    done.textContent = 'Thank you. The next letter is yours.';
    form.replaceWith(done);
  });
});
`)
