import type { Router } from 'express'
import { html, Html } from './html.js'
import type { Show } from './show.js'

/** What stands in the sky, for the single-page section. */
const OBJECTS = [
  { slug: 'moon', name: 'The Moon', text: 'Nine days old. The light falls flat over the southern craters tonight.' },
  { slug: 'jupiter', name: 'Jupiter', text: 'High in the south at eleven. The red spot passes at a quarter to one.' },
  { slug: 'ring', name: 'The winter ring', text: 'Six bright stars around the hunter’s shoulder, whole from ten on.' },
]

/** The sky tonight: one page that changes its address in place, by paths and by fragments. */
export function skyPages(router: Router, show: Show): void {
  router.get(['/sky', '/sky/:object'], (_request, response) =>
    show(response, '/sky', {
      title: 'Sky tonight',
      body: html`
        <h1>The sky tonight</h1>
        <p>Choose something; the page stays, only the address changes.</p>
        <p id="sky-choices">${OBJECTS.map(({ slug, name }) => html` <a class="button" href="/sky/${slug}" data-object="${slug}">${name}</a> `)}</p>
        <div id="sky-object" class="card"></div>
        <p class="small">
          <a href="#how">How we reckon</a>
          ·
          <a href="#tonight">Tonight</a>
        </p>
        <script>
          ${new Html(SCRIPT)}
        </script>
      `,
    }),
  )
}

const SCRIPT = `
(function () {
  var objects = ${JSON.stringify(OBJECTS)};
  var box = document.getElementById('sky-object');
  function draw() {
    var slug = location.pathname.split('/')[2];
    var found = objects.find(function (each) { return each.slug === slug });
    document.title = (found ? found.name : 'Sky tonight') + ' · Altolucero Observatory';
    box.hidden = !found;
    box.innerHTML = found ? '<h2>' + found.name + '</h2><p>' + found.text + '</p>' : '';
  }
  document.getElementById('sky-choices').addEventListener('click', function (event) {
    var link = event.target.closest('a');
    if (!link) return;
    event.preventDefault();
    history.pushState({}, '', link.getAttribute('href'));
    draw();
  });
  addEventListener('popstate', draw);
  draw();
})();
`
