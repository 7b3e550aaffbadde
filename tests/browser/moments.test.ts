import { createHash } from 'node:crypto'
import type { Browser } from 'playwright-core'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, inject, it } from 'vitest'
import { startBrowser } from '../start/browser.js'
import { startTestServer, type TestServer } from '../start/testServer.js'
import { PageServer, type Sent, type TestSite } from './pageServer.js'

let server: TestServer
let browser: Browser
let pages: PageServer
let site: TestSite

beforeAll(async () => {
  ;[server, browser] = await Promise.all([startTestServer(inject('databaseUrl')), startBrowser()])
  pages = new PageServer(server, browser)
  await pages.start()
})
afterAll(async () => {
  await browser.close()
  pages.stop()
  await server.stop()
})
beforeEach(async () => {
  site = await pages.open()
})
afterEach(() => site.window_.close())

const named = (list: Sent[], name: string): Sent[] => list.filter((event) => event.name === name)
/** Waits until an event of a name was recorded so often, and a moment longer for one too many. */
async function heard(name: string, times: number): Promise<Sent[]> {
  await expect.poll(async () => named(await site.events(), name).length).toBeGreaterThanOrEqual(times)
  await site.page.waitForTimeout(500)
  const found = named(await site.events(), name)
  expect(found.map((event) => event.data)).toHaveLength(times)
  return found
}
const never = async (name: string): Promise<void> => {
  await site.page.waitForTimeout(800)
  expect(named(await site.events(), name)).toEqual([])
}

describe('a form', () => {
  const accepted = (more: object): object => ({ id: 'ok', moment: { type: 'form-accepted', seconds: 5, ...more } })
  const form = (script: string): string =>
    `<form id="enquiry" name="enquiry" class="wide"><input name="mail" required><button>Send</button></form><p id="thanks" hidden>Thank you</p>
     <script>document.getElementById('enquiry').addEventListener('submit', function (event) { event.preventDefault(); ${script} })</script>`

  it('is accepted when the message appears, and not when it only was sent', async () => {
    await site.wire({ triggers: [accepted({ by: 'element', selector: '#thanks' })], tags: [site.pixelTag('lead', ['ok'], {}, '&form={data.formId}')] })
    site.bodies['/groups'] = form(`if (event.target.mail.value !== 'bad') setTimeout(function () { document.getElementById('thanks').hidden = false }, 300)`)
    await site.page.goto(`${site.shop}/groups`)
    await site.page.fill('[name=mail]', 'bad')
    await site.page.click('button')
    await heard('form-sent', 1)
    await never('form-accepted')
    await site.page.fill('[name=mail]', 'good')
    await site.page.press('[name=mail]', 'Enter')
    const [event] = await heard('form-accepted', 1)
    expect(event).toMatchObject({ data: { formId: 'enquiry', formClass: 'wide', formPosition: 1, formPage: '/groups' }, fired: ['lead'] })
    expect(site.pixels).toEqual(['?tag=lead&form=enquiry'])
  })

  it('is accepted when it goes away, also when it is replaced', async () => {
    await site.wire({ triggers: [accepted({ by: 'gone' })] })
    site.bodies['/groups'] = form(`event.target.outerHTML = '<p>Done</p>'`)
    await site.page.goto(`${site.shop}/groups`)
    await site.page.fill('[name=mail]', 'x')
    await site.page.click('button')
    await heard('form-accepted', 1)
  })

  it('is accepted when the next page has another address, and not when it comes back', async () => {
    await site.wire({ triggers: [accepted({ by: 'address' })] })
    site.bodies['/fails'] = '<form id="a" action="/fails"><button>Send</button></form>'
    site.bodies['/works'] = '<form id="b" action="/done"><button>Send</button></form>'
    await site.page.goto(`${site.shop}/fails`)
    await site.page.click('button')
    await never('form-accepted')
    await site.page.goto(`${site.shop}/works`)
    await site.page.click('button')
    const found = await heard('form-accepted', 1)
    expect(found[0]?.data).toMatchObject({ formId: 'b', formPage: '/works' })
  })

  it('counts in shadow trees, in frames of the site, when it comes later, and once for a double click', async () => {
    await site.wire({ triggers: [{ id: 't', moment: { type: 'form-sent' } }] })
    site.bodies['/inner'] = `<form id="in-frame" onsubmit="return false"><button>Send</button></form>`
    site.bodies['/inner loader'] = ' '
    site.bodies['/forms'] = `<iframe src="/inner"></iframe><div id="closed"></div><div id="open"></div>
      <script>
        addEventListener('load', function () {
          for (const mode of ['open', 'closed']) {
            const root = document.getElementById(mode).attachShadow({ mode })
            root.innerHTML = '<form id="' + mode + '-tree"><button>Send</button></form>'
            const form = root.querySelector('form')
            form.addEventListener('submit', function (event) { event.preventDefault(); event.stopImmediatePropagation() })
            window['send_' + mode] = function () { form.querySelector('button').click() }
          }
          setTimeout(function () {
            document.body.insertAdjacentHTML('beforeend', '<form id="later" onsubmit="return false"><button id="twice">Send</button></form>')
          }, 200)
        })
      </script>`
    await site.page.goto(`${site.shop}/forms`)
    await site.page.waitForSelector('#twice')
    await site.page.evaluate('send_open(); send_closed()')
    await site.page.frameLocator('iframe').locator('button').click()
    await site.page.dblclick('#twice')
    const found = await heard('form-sent', 4)
    expect(found.map((event) => event.data?.formId).sort()).toEqual(['closed-tree', 'in-frame', 'later', 'open-tree'])
  })

  it('gives the fields that a reading names, but never a password, a card, or an e-mail address', async () => {
    const reading = (name: string): object => ({ name, from: { type: 'field', field: name } })
    await site.wire({
      triggers: [{ id: 't', moment: { type: 'form-sent' } }],
      readings: ['night', 'seats', 'word', 'card', 'mail', 'other'].map((name) => ({ ...reading(name), always: true })),
    })
    site.bodies['/book'] = `<form id="f" onsubmit="return false"><select name="night"><option>Friday</option></select>
      <input type="radio" name="seats" value="1"><input type="radio" name="seats" value="2" checked>
      <input name="word" type="password" value="secret"><input name="card" value="4111 1111 1111 1111">
      <input name="mail" value=" Ana@Sky.example "><input name="untold" value="hush"><button>Book</button></form>`
    await site.page.goto(`${site.shop}/book`)
    await site.page.click('button')
    const [event] = await heard('form-sent', 1)
    const own = Object.fromEntries(Object.entries(event?.data ?? {}).filter(([name]) => name.startsWith('own.')))
    expect(own).toEqual({ 'own.night': 'Friday', 'own.seats': '2', 'own.mail': createHash('sha256').update('ana@sky.example').digest('hex') })
    expect(JSON.stringify(await site.events())).not.toMatch(/secret|4111|Ana|ana@|hush/)
  })
})

describe('an element', () => {
  const seen = (more: object): object => ({ id: 'seen', moment: { type: 'element-seen', selector: '.offer', ...more } })

  it('is seen when enough of it is in view for long enough, once a page', async () => {
    await site.wire({ triggers: [seen({ seconds: 0.6 })] })
    site.bodies['/long'] = `<div style="height:3000px"></div><p class="offer" id="o" style="height:200px">Offer</p><div style="height:3000px"></div>`
    await site.page.goto(`${site.shop}/long`)
    await site.page.waitForTimeout(900)
    await site.page.evaluate('scrollTo(0, 2500)')
    await site.page.waitForTimeout(200)
    await site.page.evaluate('scrollTo(0, 0)')
    await never('element-seen')
    await site.page.evaluate('scrollTo(0, 2500)')
    const [event] = await heard('element-seen', 1)
    expect(event?.data).toMatchObject({ elementId: 'o', elementText: 'Offer', watch: '.offer 50% 0.6s page' })
    await site.page.evaluate('scrollTo(0, 0)')
    await site.page.waitForTimeout(200)
    await site.page.evaluate('scrollTo(0, 2500)')
    await site.page.waitForTimeout(900)
    await heard('element-seen', 1)
  })

  it('counts once for each, or every time, as asked', async () => {
    await site.wire({ triggers: [seen({ repeat: 'element' }), { id: 'every', moment: { type: 'element-seen', selector: '#first', repeat: 'every' } }] })
    site.bodies['/two'] = `<p class="offer" id="first">One</p><p class="offer">Two</p><div style="height:4000px"></div>`
    await site.page.goto(`${site.shop}/two`)
    await heard('element-seen', 3)
    await site.page.evaluate('scrollTo(0, 3000)')
    await site.page.waitForTimeout(400)
    await site.page.evaluate('scrollTo(0, 0)')
    const found = await heard('element-seen', 4)
    expect(found[3]?.data?.watch).toContain('every')
  })

  it('counts when it appears later or grows out of nothing, not while it is hidden, behind a tab or without size', async () => {
    await site.wire({ triggers: [seen({ repeat: 'element' })] })
    site.bodies['/late'] =
      `<p class="offer" hidden>Hidden</p><p class="offer" style="visibility:hidden">Unseen</p><div style="display:none" id="tab"><p class="offer">Behind a tab</p></div>
      <div class="offer" id="empty" style="height:0;overflow:hidden">Empty</div><div style="position:sticky;top:0" class="offer" id="sticky">Sticky</div><div style="height:3000px"></div>`
    await site.page.goto(`${site.shop}/late`)
    const first = await heard('element-seen', 1)
    expect(first[0]?.data?.elementId).toBe('sticky')
    await site.page.evaluate(`document.getElementById('tab').style.display = 'block'`)
    await heard('element-seen', 2)
    await site.page.evaluate(`document.getElementById('empty').style.height = '40px'`)
    await heard('element-seen', 3)
    await site.page.evaluate(`document.body.insertAdjacentHTML('afterbegin', '<p class="offer" id="new">New</p>')`)
    const last = await heard('element-seen', 4)
    expect(last[3]?.data?.elementId).toBe('new')
  })
})

describe('a click', () => {
  it('is heard on what is inside, survives navigation, and tells where links lead', async () => {
    await site.wire({
      triggers: [
        { id: 'out', moment: { type: 'click', on: 'link' }, where: { any: [{ all: [{ reading: 'data.clickHost', op: 'present' }] }] } },
        { id: 'buy', moment: { type: 'click', on: 'element', selector: '.buy' } },
      ],
      tags: [site.pixelTag('out', ['out'], {}, '&to={data.clickHost}'), site.pixelTag('buy', ['buy'])],
    })
    site.bodies['/links'] = `<a id="file" href="/map.PDF">Map</a> <a id="mail" href="mailto:ana@sky.example">Write</a>
      <button class="buy" id="b1"><span><b>Buy</b> it</span></button>
      <script>document.addEventListener('click', function (event) { event.preventDefault() })
      addEventListener('click', function (event) { if (event.target.closest('.buy')) event.stopImmediatePropagation() }, true)</script>
      <a id="away" href="http://lodge.example/rooms?x=1"><i>Lodge</i></a><a id="next" href="/next">Next</a>`
    await site.page.goto(`${site.shop}/links`)
    await site.page.waitForTimeout(500)
    for (const id of ['file', 'mail', 'away']) await site.page.click(`#${id}`)
    await site.page.dblclick('.buy b')
    await site.page.evaluate(`location.href = '/next'`)
    const found = await heard('click', 4)
    expect(found.map((event) => event.data)).toMatchObject([
      { elementId: 'file', clickText: 'Map', clickFile: 'pdf' },
      { elementId: 'mail', clickTarget: 'mailto:' },
      { elementId: 'away', clickHost: 'lodge.example', clickTarget: 'http://lodge.example/rooms?x=1' },
      { elementId: 'b1', elementClass: 'buy', clickText: 'Buy it' },
    ])
    expect(site.pixels.sort()).toEqual(['?tag=buy', '?tag=out&to=lodge.example'])
  })
})

describe('reading on', () => {
  it('is heard by scrolling, time, and video', async () => {
    await site.wire({
      triggers: [
        { id: 'half', moment: { type: 'scroll', amount: 50 } },
        { id: 'px', moment: { type: 'scroll', unit: 'pixels', amount: 400 } },
        { id: 'stay', moment: { type: 'time', seconds: 1, times: 2 } },
        { id: 'visit', moment: { type: 'time', of: 'visit', seconds: 4 } },
        { id: 'film', moment: { type: 'video', percent: 5 } },
      ],
    })
    site.bodies['/long'] = '<video muted title="Sky" src="/sky.webm"></video><div style="height:4000px"></div>'
    await site.page.goto(`${site.shop}/long`)
    await site.page.waitForTimeout(300)
    await site.page.evaluate(`document.querySelector('video').play()`)
    await site.page.evaluate('scrollTo(0, 500)')
    const [first] = await heard('scrolled', 1)
    expect(first?.data?.watch).toBe('400px')
    await site.page.evaluate('scrollTo(0, 2000)')
    await heard('scrolled', 2)
    const [film] = await heard('video-watched', 1)
    expect(film?.data).toMatchObject({ videoTitle: 'Sky', watch: '5%' })
    await expect.poll(async () => named(await site.events(), 'time-spent').length).toBe(2)
    await site.page.goto(`${site.shop}/other`)
    await expect.poll(async () => named(await site.events(), 'time-spent').map((event) => String(event.data?.watch))).toContain('visit 4s 1x')
  })
})

describe('a single-page application', () => {
  it('tells of every change of its address, by fragment too, and counts each view once', async () => {
    await site.wire({ triggers: [{ id: 't', moment: { type: 'address-change' } }] })
    await site.page.goto(`${site.shop}/app`)
    await site.page.evaluate(`history.pushState({}, '', '/app/one'); document.title = 'One'`)
    await site.page.waitForTimeout(200)
    await site.page.evaluate(`location.hash = '#/deep'`)
    await site.page.waitForTimeout(200)
    await site.page.evaluate(`history.replaceState({}, '', '/app/one?x=1'); history.replaceState({}, '', '/app/one?x=1')`)
    await site.page.waitForTimeout(200)
    await site.page.evaluate('history.back()')
    const found = await heard('address-change', 4)
    expect(found.map((event) => event.data?.changedBy)).toEqual(['push', 'fragment', 'replace', 'back'])
    expect(named(await site.events(), 'page-view').map((event) => new URL(event.url).pathname)).toEqual(['/app', '/app/one'])
  })

  it('begins each page anew for what counts once a page', async () => {
    await site.wire({ triggers: [{ id: 'any', moment: { type: 'page-view' } }], tags: [site.pixelTag('once', ['any'], { limit: 'page' }, '&p={path}')] })
    await site.page.goto(`${site.shop}/app`)
    await site.page.evaluate(`history.pushState({}, '', '/app/one')`)
    await site.page.waitForTimeout(300)
    await expect.poll(() => site.pixels).toEqual(['?tag=once&p=/app', '?tag=once&p=/app/one'])
  })
})

describe('a goal, and several triggers together', () => {
  it('fire tags when the goal is reached, by its path and count, and follow when its rule changes', async () => {
    const where = (value: string): object => ({ any: [{ all: [{ reading: 'path', op: 'is', value }] }] })
    const goal = {
      name: 'Booked',
      kind: { type: 'page', where: where('/thanks') },
      count: 'visit',
      value: { type: 'fixed', amount: 18 },
      path: [{ name: 'Form', where: where('/book'), required: true }],
    }
    const { body } = await server.api<{ id: string }>('POST', `/sites/${site.key}/goals`, goal)
    await site.wire({ triggers: [{ id: 'g', moment: { type: 'goal', goal: body.id } }], tags: [site.pixelTag('won', ['g'], {}, '&v={value}&c={currency}')] })
    const visit = async (...paths: string[]): Promise<void> => {
      for (const path of paths) {
        await site.page.goto(site.shop + path)
        await site.page.waitForTimeout(250)
      }
    }
    await visit('/thanks')
    expect(site.pixels).toEqual([])
    await visit('/book', '/thanks', '/thanks')
    expect(site.pixels).toEqual(['?tag=won&v=18&c=EUR'])
    expect((await site.events()).filter((event) => event.fired)).toHaveLength(1)
    expect((await server.api('DELETE', `/sites/${site.key}/goals/${body.id}`)).status).toBe(409)
    await server.api('PUT', `/sites/${site.key}/goals/${body.id}`, { ...goal, kind: { type: 'page', where: where('/receipt') }, path: [] })
    await visit('/receipt')
    expect(site.pixels).toHaveLength(2)
  })

  it('happen together only when all have, on one page', async () => {
    await site.wire({
      triggers: [
        { id: 'signal', moment: { type: 'signal', name: 'chosen' } },
        { id: 'click', moment: { type: 'click', on: 'element', selector: '#go' } },
        { id: 'both', moment: { type: 'all', triggers: ['signal', 'click'] } },
      ],
      tags: [site.pixelTag('both', ['both'])],
    })
    site.bodies['/a'] = '<button id="go">Go</button>'
    await site.page.goto(`${site.shop}/a`)
    await site.page.waitForTimeout(400)
    await site.page.click('#go')
    await site.page.goto(`${site.shop}/a?again`)
    await site.page.waitForTimeout(400)
    await site.page.evaluate(`acequia.signal('chosen')`)
    await never('all-happened')
    await site.page.click('#go')
    await heard('all-happened', 1)
    expect(site.pixels).toEqual(['?tag=both'])
  })

  it('keep a tag from firing where the exception holds', async () => {
    await site.wire({
      triggers: [{ id: 't', moment: { type: 'page-view' }, except: { any: [{ all: [{ reading: 'query.staff', op: 'present' }] }] } }],
      tags: [site.pixelTag('seen', ['t'])],
    })
    await site.page.goto(`${site.shop}/?staff=1`)
    await site.settled(1)
    await site.page.goto(`${site.shop}/`)
    await site.settled(2)
    expect(site.pixels).toEqual(['?tag=seen'])
  })
})
