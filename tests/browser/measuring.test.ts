import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { openWindow } from '../start/browser.js'
import { useDemoWorld } from '../start/demoWorld.js'
import { TOKEN } from '../start/testServer.js'

const world = useDemoWorld()
const at = (path: string): string => world.at(path)
const api = <T>(path: string): Promise<T> => world.api<T>(path)
const evidence = () => world.screen.getByRole('complementary', { name: 'Evidence' })
const number = (text: string): number => Number(text.replace(/\D/g, ''))

describe('a goal for the booking', () => {
  it('begins with what the site suggests: the receipt, its value, and the form before it', async () => {
    await world.screen.goto(at('/goals/new'))
    const suggestion = evidence()
      .getByRole('listitem')
      .filter({ hasText: '/nights/thanks is seen about once in a visit, right after a form was sent on /nights/book' })
    await suggestion.getByRole('button', { name: 'Begin with it' }).click()
    const sentence = world.screen.locator('.sentence').first()
    await expect.poll(() => sentence.innerText()).toMatch(/once for each order.*\/nights\/thanks.*\/nights\/book.*the order's value/s)
    await world.screen.getByPlaceholder('Name of the goal').fill('Booked with a form')
    await world.screen.keyboard.press('Control+s')
    await world.screen.getByRole('heading', { name: 'Booked with a form' }).waitFor()
  })

  it('is told that another goal counts the same', async () => {
    await world.screen.goto(at('/goals/new'))
    await evidence().getByRole('listitem').filter({ hasText: '/calendar/thanks' }).getByRole('button', { name: 'Begin with it' }).click()
    await evidence().getByText('Counts the same as').waitFor()
    await evidence().getByRole('link', { name: 'Calendar asked for' }).waitFor()
    await world.screen.getByRole('button', { name: 'Give up changes' }).click()
  })

  it('shows why a bookmarked receipt does not count', async () => {
    const visitor = await (await openWindow(world.browser)).newPage()
    await visitor.goto(`${world.demo.origins.shop}/nights/thanks?order=Q-1`)
    await visitor.waitForTimeout(800)
    const id = await visitor.evaluate(() => JSON.parse(localStorage.getItem('acequia.visitor') ?? '""') as string)
    await visitor.context().close()
    await expect
      .poll(
        async () =>
          (await fetch(`${world.demo.server.url}/api/v1/sites/${world.demo.key}/visitors/${id}`, { headers: { authorization: `Bearer ${TOKEN}` } })).status,
      )
      .toBe(200)
    await world.screen.goto(at(`/visitors/${id}`))
    const event = world.screen.getByRole('listitem').filter({ hasText: '/nights/thanks' }).first()
    await event.getByText('○ not counted for Night booked: step “Booking form” missing before it in this visit').waitFor()
  })

  it('shows what each condition alone would match, and what it counts as it is saved', async () => {
    const [goal] = (await api<{ id: string; name: string }[]>('/goals')).filter(({ name }) => name === 'Group enquiry')
    await world.screen.goto(at(`/goals/${goal?.id}/edit`))
    await world.screen.getByRole('button', { name: 'and …' }).first().click()
    await world.screen
      .getByRole('button', { name: /^\/nights\b/ })
      .first()
      .click()
    await evidence().getByText('What each condition alone would match').waitFor()
    const alone = evidence().getByRole('row').filter({ hasText: 'path is /groups/thanks' })
    expect(number((await alone.getByRole('cell').last().innerText()) || '0')).toBeGreaterThan(3)
    await evidence().getByText('As it is saved:').waitFor()
    await world.screen.getByRole('button', { name: 'Give up changes' }).click()
  })

  it('is told apart by device, source and page, with the pages before it, and put away', async () => {
    const [goal] = (await api<{ id: string; name: string }[]>('/goals')).filter(({ name }) => name === 'Calendar asked for')
    await world.screen.goto(at(`/goals/${goal?.id}`))
    await world.screen.getByLabel('Tell apart by').selectOption('device')
    await world.screen.getByRole('row').filter({ hasText: 'mobile' }).waitFor()
    await world.screen.getByRole('row').filter({ hasText: '/calendar' }).first().waitFor()
    await world.screen.getByRole('button', { name: 'by week' }).click()
    await world.screen.getByRole('button', { name: 'Table' }).click()
    await world.screen
      .getByRole('row')
      .filter({ hasText: /2026-W|20\d\d-W/ })
      .first()
      .waitFor()
    await world.screen.getByText('Remove this goal').click()
    await world.screen.getByRole('button', { name: 'Archive it instead' }).click()
    await world.screen.getByText('Archived: it goes on counting').waitFor()
    await world.screen.goto(at('/today'))
    await world.screen.getByRole('link', { name: 'Night booked', exact: true }).first().waitFor()
    expect(await world.screen.getByText('Calendar asked for', { exact: true }).count()).toBe(0)
  })
})

describe('the search', () => {
  const look = async (words: string): Promise<void> => {
    await world.screen.goto(at('/today'))
    await world.screen.getByRole('heading', { level: 1 }).waitFor()
    await world.screen.keyboard.press('Control+k')
    await world.screen.getByRole('combobox', { name: /^Search/ }).fill(words)
  }

  it('finds pages of the site, and begins a goal with one', async () => {
    await look('nights/tha')
    const page = world.screen.getByRole('option', { name: /^\/nights\/thanks page, seen [\d,]+ times in these days: count who reaches it$/ })
    await page.waitFor()
    await expect.poll(() => page.getAttribute('aria-selected')).toBe('true')
    await world.screen.keyboard.press('Enter')
    await expect.poll(() => world.screen.locator('.sentence').first().innerText()).toMatch(/reaches a page.*path.*is.*\/nights\/thanks/s)
    // What it counts is there without another step.
    await evidence()
      .getByText(/of the goal's kind|would count|conversions?/i)
      .first()
      .waitFor()
    // Another page, chosen from here, takes its place as long as nothing was changed.
    await world.screen.keyboard.press('Control+k')
    await world.screen.getByRole('combobox', { name: /^Search/ }).fill('calendar/thanks')
    await world.screen.getByRole('option', { name: /^\/calendar\/thanks page/ }).click()
    await expect.poll(() => world.screen.locator('.sentence').first().innerText()).toMatch(/\/calendar\/thanks/)
    // What was begun is not lost for a third one, which is offered.
    await world.screen.getByRole('textbox', { name: 'Name of the goal' }).fill('Calendar begun')
    await world.screen.keyboard.press('Control+k')
    await world.screen.getByRole('combobox', { name: /^Search/ }).fill('nights/tha')
    await world.screen.getByRole('option', { name: /^\/nights\/thanks page/ }).click()
    await world.screen.getByText('What you began before is still here, not saved.').waitFor()
    expect(await world.screen.getByRole('textbox', { name: 'Name of the goal' }).inputValue()).toBe('Calendar begun')
    await world.screen.getByRole('button', { name: 'Count /nights/thanks instead' }).click()
    await expect.poll(() => world.screen.locator('.sentence').first().innerText()).toMatch(/\/nights\/thanks/)
    expect(await world.screen.getByText('What you began before').count()).toBe(0)
  })

  it('takes what was typed and entered before the goals were there', async () => {
    let letGo = (): void => undefined
    const held = new Promise<void>((resolve) => (letGo = resolve))
    await world.screen.route('**/goals', async (route) => {
      await held
      await route.continue()
    })
    await look('night booked goal')
    await world.screen.keyboard.press('Enter')
    await world.screen.getByText('Looking …').waitFor()
    letGo()
    await world.screen.getByRole('heading', { name: 'Night booked' }).waitFor()
    await world.screen.unroute('**/goals')
  })

  it('finds goals, funnels and commands by their words, in any order, and says when there is nothing', async () => {
    await look('booked night goal')
    await world.screen.getByRole('option', { name: 'Night booked goal' }).waitFor()
    await world.screen.getByRole('combobox', { name: /^Search/ }).fill('funnel')
    await expect.poll(() => world.screen.getByRole('option').count()).toBeGreaterThan(0)
    await world.screen.getByRole('combobox', { name: /^Search/ }).fill('no such thing at all')
    await world.screen.getByText('Nothing here is called that.').waitFor()
    await world.screen.keyboard.press('Escape')
    await expect.poll(() => world.screen.getByRole('dialog', { name: 'Search' }).count()).toBe(0)
  })
})

describe("a channel's own figures", () => {
  it('are taken from its file, or refused with what is wrong and where', async () => {
    await world.screen.goto(at('/channels'))
    const card = world.screen.getByRole('article').filter({ hasText: 'Farola Search' })
    const file = card.locator('input[type=file]')
    const give = (text: string): Promise<void> => file.setInputFiles({ name: 'figures.csv', mimeType: 'text/csv', buffer: Buffer.from(text) })
    await give('day;clicks\n2026-05-04;7\n')
    await card.getByText('The file needs a column "day" and a column "conversions"; it has day, clicks.').waitFor()
    await give('day,conversions\n2026-05-04,7\n2026-05-05,many\n')
    await card.getByText('Line 3 is no day with a whole number; nothing was taken.').waitFor()
    await give('Date,Conversions,Cost\n2026-05-04,7,3.10\n2026-05-05,1200,4\n')
    await card.getByText('2 days taken, 1,207 conversions.').waitFor()
  })
})

describe('a funnel', () => {
  const cells = async (step: string): Promise<string[]> => world.screen.getByRole('row').filter({ hasText: step }).first().getByRole('cell').allInnerTexts()

  it('of four steps is built by dragging, read, compared by device, and saved', async () => {
    await world.screen.goto(at('/funnels'))
    await world.screen.getByRole('paragraph').filter({ hasText: '/ → /nights → /nights/book → /nights/thanks' }).getByRole('link', { name: 'Draw it' }).click()
    await world.screen.getByText('4 /nights/thanks').waitFor()
    const joined = number((await cells('1 /'))[1] ?? '')
    expect(joined).toBeGreaterThan(100)
    // In the wrong order nobody passes; dragged back, they do.
    const grip = world.screen.getByRole('button', { name: 'Move /nights/book; arrow keys move it up and down' })
    await grip.focus()
    await world.screen.keyboard.press('ArrowUp')
    await world.screen.getByText('2 /nights/book').waitFor()
    const box = await world.screen.getByRole('button', { name: 'Move /nights/book; arrow keys move it up and down' }).boundingBox()
    const target = await world.screen.getByRole('button', { name: 'Move /nights; arrow keys move it up and down' }).boundingBox()
    if (!box || !target) throw new Error('not on screen')
    await world.screen.mouse.move(box.x + 8, box.y + 8)
    await world.screen.mouse.down()
    await world.screen.mouse.move(box.x + 12, box.y + 20, { steps: 4 })
    await world.screen.mouse.move(target.x + 12, target.y + target.height, { steps: 10 })
    await world.screen.waitForTimeout(250)
    await world.screen.mouse.up()
    await world.screen.getByText('3 /nights/book').waitFor()

    // Where people leave: the picture says it, and so do the visits behind it.
    const leak = world.screen.getByRole('button', { name: /^left the site after \/nights\/book: \d+/ })
    await leak.focus()
    await world.screen.keyboard.press('Enter')
    const visits = world.screen.getByRole('region', { name: 'Visits behind the number' })
    await visits.getByText('left the site').first().waitFor()
    await visits.getByRole('row').nth(5).waitFor()
    await visits.getByRole('link').first().click()
    await world.screen.getByRole('heading', { name: /^Visitor/ }).waitFor()
    await world.screen.goBack()

    await world.screen.getByLabel('Side by side').selectOption('device')
    await world.screen.getByRole('heading', { name: 'device: mobile' }).waitFor()
    const row = world.screen.locator('table.split tr').filter({ hasText: 'desktop' })
    expect(await row.getByRole('cell').last().innerText()).toMatch(/\d+(\.\d)?%/)

    await world.screen.getByPlaceholder('Name of the funnel').fill('From home to a booking')
    await world.screen.keyboard.press('Control+s')
    await world.screen.waitForURL(/\/funnels\/[\w-]{12}/)
    await world.screen.goto(at('/funnels'))
    await world.screen.getByRole('link', { name: 'From home to a booking' }).waitFor()
  })

  it('is shared by its address, and saved as CSV and picture', async () => {
    await world.screen.goto(at('/funnels'))
    await world.screen.getByRole('link', { name: 'From home to a booking' }).click()
    await world.screen.getByText('4 /nights/thanks').waitFor()
    await world.screen.getByLabel('against the 30 days before').check()
    await world.screen.getByText('The 30 days before, on the same scale').waitFor()
    const other = await world.marketer.newPage()
    await other.goto(world.screen.url())
    await other.getByText('The 30 days before, on the same scale').waitFor()
    await other.close()
    const saved = async (name: string): Promise<string> => {
      const [download] = await Promise.all([world.screen.waitForEvent('download'), world.screen.getByRole('button', { name, exact: true }).click()])
      return readFileSync(await download.path(), 'latin1')
    }
    expect(await saved('CSV')).toMatch(/^step,joined,came on,went on,left,rate,/)
    expect(await saved('SVG')).toMatch(/^<svg[\s\S]*go on/)
    expect((await saved('PNG')).slice(1, 4)).toBe('PNG')
  })
})
