import { readFileSync } from 'node:fs'
import type { Browser, BrowserContext, Page } from 'playwright-core'
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest'
import { DEMO_PERSON } from '../../demo/src/setUp.js'
import type { RunningDemo } from '../../demo/src/startDemo.js'
import { openWindow, signIn, startBrowser } from '../start/browser.js'
import { startTestDemo } from '../start/testDemo.js'
import { TOKEN } from '../start/testServer.js'

let demo: RunningDemo
let browser: Browser
let marketer: BrowserContext
let screen: Page

beforeAll(async () => {
  ;[demo, browser] = await Promise.all([startTestDemo(inject('databaseUrl')), startBrowser()])
  marketer = await openWindow(browser, { acceptDownloads: true })
  screen = await marketer.newPage()
  await signIn(screen, demo.acequia, DEMO_PERSON)
})
afterAll(async () => {
  await browser?.close()
  await demo?.stop()
})

const at = (path: string): string => `${demo.acequia}/s/${demo.key}${path}`
const api = async <T>(path: string): Promise<T> =>
  (await (await fetch(`${demo.server.url}/api/v1/sites/${demo.key}${path}`, { headers: { authorization: `Bearer ${TOKEN}` } })).json()) as T
const evidence = () => screen.getByRole('complementary', { name: 'Evidence' })
const number = (text: string): number => Number(text.replace(/\D/g, ''))

describe('a goal for the booking', () => {
  it('begins with what the site suggests: the receipt, its value, and the form before it', async () => {
    await screen.goto(at('/goals/new'))
    const suggestion = evidence()
      .getByRole('listitem')
      .filter({ hasText: '/nights/thanks is seen about once in a visit, right after a form was sent on /nights/book' })
    await suggestion.getByRole('button', { name: 'Begin with it' }).click()
    const sentence = screen.locator('.sentence').first()
    await expect.poll(() => sentence.innerText()).toMatch(/once for each order.*\/nights\/thanks.*\/nights\/book.*the order's value/s)
    await screen.getByPlaceholder('Name of the goal').fill('Booked with a form')
    await screen.keyboard.press('Control+s')
    await screen.getByRole('heading', { name: 'Booked with a form' }).waitFor()
  })

  it('is told that another goal counts the same', async () => {
    await screen.goto(at('/goals/new'))
    await evidence().getByRole('listitem').filter({ hasText: '/calendar/thanks' }).getByRole('button', { name: 'Begin with it' }).click()
    await evidence().getByText('Counts the same as').waitFor()
    await evidence().getByRole('link', { name: 'Calendar asked for' }).waitFor()
    await screen.getByRole('button', { name: 'Give up changes' }).click()
  })

  it('shows why a bookmarked receipt does not count', async () => {
    const visitor = await (await openWindow(browser)).newPage()
    await visitor.goto(`${demo.origins.shop}/nights/thanks?order=Q-1`)
    await visitor.waitForTimeout(800)
    const id = await visitor.evaluate(() => JSON.parse(localStorage.getItem('acequia.visitor') ?? '""') as string)
    await visitor.context().close()
    await expect
      .poll(async () => (await fetch(`${demo.server.url}/api/v1/sites/${demo.key}/visitors/${id}`, { headers: { authorization: `Bearer ${TOKEN}` } })).status)
      .toBe(200)
    await screen.goto(at(`/visitors/${id}`))
    const event = screen.getByRole('listitem').filter({ hasText: '/nights/thanks' }).first()
    await event.getByText('○ not counted for Night booked: step “Booking form” missing before it in this visit').waitFor()
  })

  it('shows what each condition alone would match, and what it counts as it is saved', async () => {
    const [goal] = (await api<{ id: string; name: string }[]>('/goals')).filter(({ name }) => name === 'Group enquiry')
    await screen.goto(at(`/goals/${goal?.id}/edit`))
    await screen.getByRole('button', { name: 'and …' }).first().click()
    await screen
      .getByRole('button', { name: /^\/nights\b/ })
      .first()
      .click()
    await evidence().getByText('What each condition alone would match').waitFor()
    const alone = evidence().getByRole('row').filter({ hasText: 'path is /groups/thanks' })
    expect(number((await alone.getByRole('cell').last().innerText()) || '0')).toBeGreaterThan(3)
    await evidence().getByText('As it is saved:').waitFor()
    await screen.getByRole('button', { name: 'Give up changes' }).click()
  })

  it('is told apart by device, source and page, with the pages before it, and put away', async () => {
    const [goal] = (await api<{ id: string; name: string }[]>('/goals')).filter(({ name }) => name === 'Calendar asked for')
    await screen.goto(at(`/goals/${goal?.id}`))
    await screen.getByLabel('Tell apart by').selectOption('device')
    await screen.getByRole('row').filter({ hasText: 'mobile' }).waitFor()
    await screen.getByRole('row').filter({ hasText: '/calendar' }).first().waitFor()
    await screen.getByRole('button', { name: 'by week' }).click()
    await screen.getByRole('button', { name: 'Table' }).click()
    await screen
      .getByRole('row')
      .filter({ hasText: /2026-W|20\d\d-W/ })
      .first()
      .waitFor()
    await screen.getByText('Remove this goal').click()
    await screen.getByRole('button', { name: 'Archive it instead' }).click()
    await screen.getByText('Archived: it goes on counting').waitFor()
    await screen.goto(at('/today'))
    await screen.getByRole('link', { name: 'Night booked', exact: true }).first().waitFor()
    expect(await screen.getByText('Calendar asked for', { exact: true }).count()).toBe(0)
  })
})

describe('a funnel', () => {
  const cells = async (step: string): Promise<string[]> => screen.getByRole('row').filter({ hasText: step }).first().getByRole('cell').allInnerTexts()

  it('of four steps is built by dragging, read, compared by device, and saved', async () => {
    await screen.goto(at('/funnels'))
    await screen.getByRole('paragraph').filter({ hasText: '/ → /nights → /nights/book → /nights/thanks' }).getByRole('link', { name: 'Draw it' }).click()
    await screen.getByText('4 /nights/thanks').waitFor()
    const joined = number((await cells('1 /'))[1] ?? '')
    expect(joined).toBeGreaterThan(100)
    // In the wrong order nobody passes; dragged back, they do.
    const grip = screen.getByRole('button', { name: 'Move /nights/book; arrow keys move it up and down' })
    await grip.focus()
    await screen.keyboard.press('ArrowUp')
    await screen.getByText('2 /nights/book').waitFor()
    const box = await screen.getByRole('button', { name: 'Move /nights/book; arrow keys move it up and down' }).boundingBox()
    const target = await screen.getByRole('button', { name: 'Move /nights; arrow keys move it up and down' }).boundingBox()
    if (!box || !target) throw new Error('not on screen')
    await screen.mouse.move(box.x + 8, box.y + 8)
    await screen.mouse.down()
    await screen.mouse.move(box.x + 12, box.y + 20, { steps: 4 })
    await screen.mouse.move(target.x + 12, target.y + target.height, { steps: 10 })
    await screen.waitForTimeout(250)
    await screen.mouse.up()
    await screen.getByText('3 /nights/book').waitFor()

    // Where people leave: the picture says it, and so do the visits behind it.
    const leak = screen.getByRole('button', { name: /^left the site after \/nights\/book: \d+/ })
    await leak.focus()
    await screen.keyboard.press('Enter')
    const visits = screen.getByRole('region', { name: 'Visits behind the number' })
    await visits.getByText('left the site').first().waitFor()
    await visits.getByRole('row').nth(5).waitFor()
    await visits.getByRole('link').first().click()
    await screen.getByRole('heading', { name: /^Visitor/ }).waitFor()
    await screen.goBack()

    await screen.getByLabel('Side by side').selectOption('device')
    await screen.getByRole('heading', { name: 'device: mobile' }).waitFor()
    const row = screen.locator('table.split tr').filter({ hasText: 'desktop' })
    expect(await row.getByRole('cell').last().innerText()).toMatch(/\d+(\.\d)?%/)

    await screen.getByPlaceholder('Name of the funnel').fill('From home to a booking')
    await screen.keyboard.press('Control+s')
    await screen.waitForURL(/\/funnels\/[\w-]{12}/)
    await screen.goto(at('/funnels'))
    await screen.getByRole('link', { name: 'From home to a booking' }).waitFor()
  })

  it('is shared by its address, and saved as CSV and picture', async () => {
    await screen.goto(at('/funnels'))
    await screen.getByRole('link', { name: 'From home to a booking' }).click()
    await screen.getByText('4 /nights/thanks').waitFor()
    await screen.getByLabel('against the 30 days before').check()
    await screen.getByText('The 30 days before, on the same scale').waitFor()
    const other = await marketer.newPage()
    await other.goto(screen.url())
    await other.getByText('The 30 days before, on the same scale').waitFor()
    await other.close()
    const saved = async (name: string): Promise<string> => {
      const [download] = await Promise.all([screen.waitForEvent('download'), screen.getByRole('button', { name, exact: true }).click()])
      return readFileSync(await download.path(), 'latin1')
    }
    expect(await saved('CSV')).toMatch(/^step,joined,came on,went on,left,rate,/)
    expect(await saved('SVG')).toMatch(/^<svg[\s\S]*go on/)
    expect((await saved('PNG')).slice(1, 4)).toBe('PNG')
  })
})
