import type { Browser, BrowserContext, Page } from 'playwright-core'
import { beforeAll, describe, expect, it } from 'vitest'
import type { RunningDemo } from '../../demo/src/startDemo.js'
import { openWindow } from '../start/browser.js'
import { useDemoWorld } from '../start/demoWorld.js'
import { TOKEN } from '../start/testServer.js'

let demo: RunningDemo
let browser: Browser
let marketer: BrowserContext
let screen: Page

const world = useDemoWorld()
beforeAll(() => {
  ;({ demo, browser, marketer, screen } = world)
})

const at = (path: string): string => world.at(path)
const api = <T>(path: string): Promise<T> => world.api<T>(path)
/** Does something that opens a page of the site in a new tab. */
const openedBy = async (action: () => Promise<void>): Promise<Page> => {
  const [tab] = await Promise.all([marketer.waitForEvent('page'), action()])
  return tab
}
const outside = <T>(origin: string, path: string): Promise<T> => world.outside<T>(origin, path)

describe('a marketer installs', () => {
  it('mails the loader to the developer', async () => {
    await screen.goto(at('/site'))
    await screen.getByRole('button', { name: 'Mail to the developer …' }).click()
    await screen.getByLabel('To', { exact: true }).fill('ines@altolucero.example')
    await screen.getByRole('button', { name: 'Send', exact: true }).click()
    await screen.getByText('Sent to ines@altolucero.example').waitFor()
    const [mail] = await outside<{ subject: string; text: string }[]>(demo.origins.paloma, '/mails.json')
    expect(mail?.subject).toBe('The loader for Altolucero Observatory')
    expect(mail?.text).toContain(`/l/${demo.key}.js`)
  })

  it('surveys the pages, and finds the one that lacks it', async () => {
    await screen.goto(at('/site'))
    await screen.getByRole('button', { name: 'Survey the pages' }).click()
    await screen.getByText('1 without the loader').waitFor()
    await screen.getByText(/Surveyed .*Lucía Robledo/).waitFor()
    const row = screen.getByRole('row').filter({ hasText: '/journal/comet' })
    expect(await row.innerText()).toContain('the loader is missing')
    expect(await screen.getByRole('row').filter({ hasText: '/members' }).innerText()).toContain('robots.txt asks not to fetch it')
  })

  it('visits a page and sees the loader run, what fires, and who answers', async () => {
    await screen.goto(at('/site'))
    const tab = await openedBy(() => screen.getByRole('button', { name: 'Visit', exact: true }).click())
    await screen.getByText('The loader ran on 1 page').waitFor()
    await screen.getByText(/Farola base.*Farola Search answered/).waitFor()
    expect(new URL(tab.url()).hash).toBe('')
    await tab.getByRole('link', { name: 'Star nights' }).first().click()
    await screen.getByText('The loader ran on 2 pages').waitFor()
    const comet = await openedBy(async () => {
      await screen.getByLabel('Page to visit').fill('/journal/comet')
      await screen.getByRole('button', { name: 'Again', exact: true }).click()
    })
    await screen.getByText('No loader has answered yet').waitFor()
    await Promise.all([tab.close(), comet.close()])
  })
})

describe('a marketer wires', () => {
  it('an element, by pointing at it on the site', async () => {
    await screen.goto(at('/wiring/trigger/new'))
    await screen.getByRole('button', { name: 'a page is viewed' }).click()
    await screen.getByRole('button', { name: 'an element is seen' }).click()
    await screen.locator('[data-slot="moment.selector"]').click()
    await screen.getByLabel('Page on which to point at the element').fill('/nights')
    const tab = await openedBy(() => screen.getByRole('button', { name: 'Open the page' }).click())
    await screen.getByText('The page is open. Point at the element').waitFor()
    await tab.getByText('Point at the element and click it.').waitFor()
    await tab.getByRole('heading', { name: 'Sleep below the dome' }).hover()
    await tab.locator('#lodge-offers').click({ position: { x: 4, y: 4 } })
    await screen.getByText(/Chosen: #lodge-offers, matches 1 element there now/).waitFor()
    expect(tab.url()).toContain('/nights')
    await screen.keyboard.press('Escape')
    expect(await screen.locator('[data-slot="moment.selector"]').innerText()).toBe('#lodge-offers')
    await tab.close()
  })

  it('moves a tag, pauses it, and takes both back', async () => {
    await screen.goto(at('/wiring'))
    const tagsOf = async (): Promise<string[]> =>
      (await api<{ tags: { id: string; triggers: string[]; paused: boolean }[] }>('/wiring')).tags
        .filter((tag) => tag.id === 'vela-letters')
        .map((tag) => `${tag.triggers.join()} ${String(tag.paused)}`)
    await screen.getByRole('button', { name: 'Move Vela: letters' }).click()
    await screen.getByLabel('Move to').selectOption({ label: 'When a page is viewed, any page' })
    await expect.poll(tagsOf).toEqual(['any-page false'])
    await screen.getByRole('button', { name: 'Pause Vela: letters' }).focus()
    await screen.keyboard.press('Enter')
    await expect.poll(tagsOf).toEqual(['any-page true'])
    // Both at once: neither may get lost while the other is being saved.
    await screen.keyboard.press('Control+z')
    await screen.keyboard.press('Control+z')
    await expect.poll(tagsOf).toEqual(['letters false'])
    await screen.keyboard.press('Control+Shift+z')
    await expect.poll(tagsOf).toEqual(['any-page false'])
    await screen.getByRole('button', { name: 'Undo' }).click()
    await expect.poll(tagsOf).toEqual(['letters false'])
  })

  it('drags a tag to another trigger with the mouse', async () => {
    await screen.goto(at('/wiring'))
    const grip = screen.getByRole('button', { name: 'Move Read on' })
    const target = screen.locator('[data-trigger="file"]')
    await target.scrollIntoViewIfNeeded()
    const from = await grip.boundingBox()
    if (!from) throw new Error('not on screen')
    await screen.mouse.move(from.x + from.width / 2, from.y + from.height / 2)
    await screen.mouse.down()
    await screen.mouse.move(from.x + 30, from.y + 30, { steps: 5 })
    // Rows grow and shrink while something is dragged over them.
    for (let step = 0; step < 3; step++) {
      const to = await target.boundingBox()
      if (to) await screen.mouse.move(to.x + 20, to.y + to.height / 2, { steps: 8 })
      await screen.waitForTimeout(150)
    }
    await screen.mouse.up()
    const triggers = async (): Promise<string | undefined> =>
      (await api<{ tags: { id: string; triggers: string[] }[] }>('/wiring')).tags.find((tag) => tag.id === 'read-on')?.triggers.join()
    await expect.poll(triggers).toBe('file')
    await screen.keyboard.press('Control+z')
    await expect.poll(triggers).toBe('long-read')
  })

  it('together with a colleague: both changes are kept, unless they are of the same thing', async () => {
    interface Draft {
      revision: number
      triggers: object[]
      tags: { id: string; name: string; paused: boolean }[]
    }
    const rename = async (id: string, name: string): Promise<void> => {
      const { revision, triggers, tags } = await api<Draft>('/wiring')
      await fetch(`${demo.server.url}/api/v1/sites/${demo.key}/wiring`, {
        method: 'PUT',
        headers: { authorization: `Bearer ${TOKEN}`, 'content-type': 'application/json' },
        body: JSON.stringify({ revision, triggers, tags: tags.map((tag) => (tag.id === id ? { ...tag, name } : tag)) }),
      })
    }
    await screen.goto(at('/wiring'))
    await screen.getByRole('link', { name: /^Vela: landed/ }).waitFor()
    await rename('vela-night', 'Vela: arrived')
    await screen.getByRole('button', { name: 'Pause Desk notified' }).focus()
    await screen.keyboard.press('Enter')
    await screen.getByText('API changed the draft while you did. Both changes are in it now.').waitFor()
    await screen.getByRole('link', { name: /^Vela: arrived/ }).waitFor()
    expect((await api<Draft>('/wiring')).tags.find((tag) => tag.id === 'desk')?.paused).toBe(true)
    await rename('desk', 'Desk told')
    await screen.getByRole('button', { name: 'Go on with Desk notified' }).focus()
    await screen.keyboard.press('Enter')
    await screen.getByText('API changed the tag “Desk told” while you did, in another way.').waitFor()
    expect((await api<Draft>('/wiring')).tags.find((tag) => tag.id === 'desk')).toMatchObject({ name: 'Desk told', paused: true })
  })

  it('a script, told at once where it cannot be read', async () => {
    await screen.goto(at('/wiring/tag/lodge-script'))
    const code = screen.locator('.cm-content')
    await code.click()
    await screen.keyboard.press('Control+a')
    // Single letters move about elsewhere; in here they are text.
    await screen.keyboard.type('var a = ;')
    expect(screen.url()).toContain('/wiring/tag/lodge-script')
    await screen.getByRole('button', { name: 'Save in the draft' }).click()
    await screen.getByText(/The script of "Lodge partner script" cannot be read: Unexpected token \(line 1, column 9\)/).waitFor()
    await screen.reload()
    await expect.poll(() => code.innerText()).toContain('var a')
    await screen.evaluate(() => sessionStorage.clear())
  })

  it('takes in a wiring from a file, after seeing what it would change', async () => {
    const exported = await api<{ wiring: { tags: { id: string }[] } }>('/wiring:export')
    exported.wiring.tags = exported.wiring.tags.filter((tag) => tag.id !== 'read-on')
    await screen.goto(at('/wiring/file'))
    await screen
      .getByLabel('File with a wiring')
      .setInputFiles({ name: 'wiring.json', mimeType: 'application/json', buffer: Buffer.from(JSON.stringify(exported)) })
    await screen.getByText('Tag removed').waitFor()
    expect((await api<{ tags: object[] }>('/wiring')).tags).toHaveLength(19)
    await screen.getByRole('button', { name: 'Replace the draft' }).click()
    await screen.waitForURL(/\/wiring$/)
    expect((await api<{ tags: object[] }>('/wiring')).tags).toHaveLength(18)
    await screen.getByRole('button', { name: 'Undo' }).click()
    await expect.poll(async () => (await api<{ tags: object[] }>('/wiring')).tags.length).toBe(19)
  })
})

describe('a rehearsal', () => {
  const cell = (tag: string, moment: string) => screen.getByRole('button', { name: `${tag}: ${moment}` })

  it('shows what fires where, and why not elsewhere; nothing leaves, nothing counts', async () => {
    const counted = async (): Promise<number> => (await api<{ events: number }[]>('/arrivals')).reduce((sum, host) => sum + host.events, 0)
    const events = await counted()
    const ledgerBefore = (await outside<object[]>(demo.origins.farola, '/ledger.json')).length
    await screen.goto(at('/rehearsal'))
    await screen.getByLabel('Page to begin on').fill('/nights')
    const tab = await openedBy(() => screen.getByRole('button', { name: 'Rehearse' }).click())
    await cell('Farola base', 'fired at page-view, /nights').waitFor()
    await tab.getByText('Rehearsal of the draft: nothing here counts').waitFor()

    await tab.getByRole('link', { name: 'Book your seats' }).click()
    await tab.getByLabel('Your name').fill('Ada')
    await tab.getByRole('button', { name: 'On to payment' }).click()
    await tab.getByRole('button', { name: 'Pay now' }).click()
    await tab.waitForURL(/\/nights\/thanks/)
    await cell('Farola: night booked', 'fired at page-view, /nights/thanks').waitFor()
    await cell('Farola: night booked', 'held at page-view, /nights/book').click()
    const reason = screen.getByRole('complementary', { name: 'Reason' })
    await reason.getByText(/✗ path is \/nights\/thanks; it was/).waitFor()
    await cell('Farola: night booked', 'fired at page-view, /nights/thanks').click()
    await reason.getByText('Would have been sent').waitFor()
    expect(await reason.innerText()).toMatch(/"told","sale",\{"worth":36,"in":"EUR"/)

    // The newsletter answers in place: accepted once, after sending.
    await tab.getByLabel('E-mail address').fill('ada@mail.example')
    await tab.getByRole('button', { name: 'Send me letters' }).click()
    await cell('Vela: letters', 'fired at form-accepted, /nights/thanks').waitFor()
    expect(await screen.getByRole('button', { name: /^Vela: letters: fired/ }).count()).toBe(1)

    expect(await counted()).toBe(events)
    expect((await outside<object[]>(demo.origins.farola, '/ledger.json')).length).toBe(ledgerBefore)
    await tab.getByRole('button', { name: 'End' }).click()
    await tab.getByText('Rehearsal of the draft').waitFor({ state: 'detached' })
    await expect.poll(counted).toBeGreaterThan(events)
    await tab.close()
  })
})

describe('a relay link', () => {
  it('counts the passage in the same visit, tells the channel, and leads on with what it may carry', async () => {
    const visitor = await (await openWindow(browser)).newPage()
    await visitor.goto(`${demo.origins.shop}/nights?utm_source=letters&lantern=abc123`)
    await visitor.waitForTimeout(600)
    await visitor.getByRole('link', { name: 'See the rooms' }).click()
    await visitor.waitForURL(/lodge\.localhost.*guest=the-observatory/)
    expect(visitor.url()).not.toContain('visitor=')
    await visitor.getByText('Welcome, guest of the-observatory').waitFor()
    const entries = await outside<{ what: string; page: string }[]>(demo.origins.farola, '/ledger.json')
    expect(entries.some((entry) => entry.what === 'read')).toBe(true)
    await visitor.goto(`${demo.origins.shop}/nights`)
    await visitor.waitForTimeout(800)
    const today = new Date(Date.now() - 60_000).toISOString()
    const answer = await fetch(`${demo.server.url}/api/v1/sites/${demo.key}/events?from=${today}&to=2100-01-01`, {
      headers: { authorization: `Bearer ${TOKEN}` },
    })
    const events = (await answer.text())
      .split('\n')
      .filter(Boolean)
      .map((line) => JSON.parse(line) as { name: string; visitor: string; url: string })
    const passed = events.filter((event) => event.name === 'relay-passed').at(-1)
    expect(passed?.url).toContain(`/r/${demo.key}/lodge?guest=the-observatory`)
    expect(events.filter((event) => event.visitor === passed?.visitor && event.name === 'page-view').length).toBeGreaterThanOrEqual(2)
    await visitor.context().close()
  })

  it('leads on in time whatever the channels do, at once without scripts, and never anywhere else', async () => {
    const hanging = await (await openWindow(browser)).newPage()
    await hanging.route('**/lantern.js', () => new Promise(() => undefined))
    const began = Date.now()
    await hanging.goto(`${demo.acequia}/r/${demo.key}/lodge?to=https://evil.example/`)
    await hanging.waitForURL(/lodge\.localhost/)
    expect(new URL(hanging.url()).pathname).toBe('/rooms')
    // Far below what the page waits for by itself; not a measurement.
    expect(Date.now() - began).toBeLessThan(10_000)
    await hanging.context().close()
    const still = await (await openWindow(browser, { javaScriptEnabled: false })).newPage()
    await still.goto(`${demo.acequia}/r/${demo.key}/lodge`)
    await still.waitForURL(/lodge\.localhost/)
    await still.context().close()
    const answer = await fetch(`${demo.server.url}/r/${demo.key}/lodge`)
    expect(answer.headers.get('content-security-policy')).toMatch(/^sandbox allow-scripts/)
    expect((await fetch(`${demo.server.url}/r/${demo.key}/nothing`)).status).toBe(404)
  })
})
