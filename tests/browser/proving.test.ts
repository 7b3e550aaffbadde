import { describe, expect, it } from 'vitest'
import { openWindow } from '../start/browser.js'
import { useDemoWorld } from '../start/demoWorld.js'
import { TOKEN } from '../start/testServer.js'

const world = useDemoWorld()
const at = (path: string): string => world.at(path)
const api = <T>(path: string): Promise<T> => world.api<T>(path)
const told = (): Promise<{ what: string; page: string }[]> => world.outside(world.demo.origins.farola, '/ledger.json')
const finding = (words: string) => world.screen.getByRole('article').filter({ hasText: words })

describe('the checkup', () => {
  it('finds the six mistakes of the draft, and mends them', async () => {
    await world.screen.goto(at('/checkup'))
    const mistakes: [words: string, action: string][] = [
      ['“When a page is viewed whose path is /calendar/thanks/” narrowly misses', 'Take /calendar/thanks instead'],
      ['can never happen: one page cannot satisfy both', 'Keep only “path is /nights/thanks”'],
      ['“Corrillo: calendar” fires where visits begin', 'Fire on /calendar/thanks instead'],
      ['“Farola: night booked” and “Farola: night booked (new)” report the same thing', 'Pause “Farola: night booked (new)”'],
      ['“Farola: eyepiece” reports a purchase without saying what it was worth', 'Take the order’s own value'],
    ]
    for (const [words] of mistakes) await finding(words).waitFor()
    await finding('“Corrillo: letters” has no trigger').waitFor()
    for (const [words, action] of mistakes) {
      await finding(words).getByRole('button', { name: action }).click()
      await world.screen.getByText(`Mended in the draft: ${action}`).waitFor()
      await finding(words).waitFor({ state: 'detached' })
    }
    await finding('“Corrillo: letters” has no trigger').getByRole('link', { name: 'Choose its trigger' }).click()
    await world.screen.waitForURL(/\/wiring\/tag\/corrillo-letters/)
    const { triggers, tags } = await api<{ triggers: { id: string; where: object }[]; tags: { id: string; paused: boolean }[] }>('/wiring')
    expect(JSON.stringify(triggers.find(({ id }) => id === 'calendar')?.where)).toContain('"/calendar/thanks"')
    expect(tags.find(({ id }) => id === 'farola-night-2')?.paused).toBe(true)
  })

  it('lets a finding be accepted with a reason, and takes that back', async () => {
    await world.screen.goto(at('/checkup'))
    const base = finding('Vela Display is told of events, but its base pixel is not on every page')
    await base.getByRole('button', { name: 'Accept with a reason …' }).click()
    await world.screen.getByLabel('Why it is fine').fill('Vela counts without it.')
    await world.screen.keyboard.press('Enter')
    await world.screen.getByText('1 accepted').click()
    await world.screen.getByText('“Vela counts without it.” — Lucía Robledo').waitFor()
    await world.screen.getByRole('button', { name: 'Take back' }).click()
    await base.getByRole('button', { name: 'Accept with a reason …' }).waitFor()
  })
})

describe('a marketer whose form answers in place', () => {
  it('goes from the form, by rehearsal, dry run and release, to a conversion', async () => {
    await world.screen.goto(at('/rehearsal'))
    await world.screen.getByLabel('Page to begin on').fill('/nights')
    const [tab] = await Promise.all([world.marketer.waitForEvent('page'), world.screen.getByRole('button', { name: 'Rehearse' }).click()])
    await world.screen.getByRole('button', { name: 'Farola base: fired at page-view, /nights' }).waitFor()
    await tab.getByLabel('E-mail address').fill('ada@mail.example')
    await tab.getByRole('button', { name: 'Send me letters' }).click()

    // The form's id, which nobody knew, and what appeared after it.
    const made = world.screen.getByRole('listitem').filter({ hasText: 'form newsletter sent' })
    await world.screen.getByText('form newsletter accepted: “Thank you. The next letter is yours.” appeared').waitFor()
    await made.getByRole('button', { name: 'Make a trigger' }).click()
    await made.getByRole('link', { name: 'New tag for it' }).click()
    await world.screen.getByPlaceholder('Name of the tag').fill('Farola: letters')
    await world.screen.getByRole('button', { name: 'a channel …' }).click()
    await world.screen.getByRole('button', { name: 'Farola Search' }).click()
    await world.screen.getByRole('button', { name: /^interest/ }).click()
    await world.screen.getByRole('button', { name: 'Save in the draft' }).click()
    await world.screen.getByRole('heading', { name: 'Wiring' }).waitFor()

    // The rehearsal goes on where it was left, and says what the new tag would have done.
    await world.screen.goto(at('/rehearsal'))
    await world.screen.getByRole('button', { name: 'Farola: letters: fired at form-sent, /nights, by the draft of now' }).click()
    await world.screen.getByText('The draft has changed since.').waitFor()
    await tab.goto(`${world.demo.origins.shop}/nights`)
    await tab.getByText('Rehearsal of the draft').waitFor()
    await tab.waitForTimeout(500)
    await tab.getByLabel('E-mail address').fill('ada@mail.example')
    await tab.getByRole('button', { name: 'Send me letters' }).click()
    await world.screen.getByRole('button', { name: 'Farola: letters: fired at form-sent, /nights', exact: true }).waitFor()
    expect(await world.screen.getByRole('button', { name: /^Farola: letters: .* at page-view/ }).count()).toBe(0)

    // Kept for colleagues, who can only look.
    await world.screen.getByLabel('Name to keep the rehearsal under').fill('Letters')
    await world.screen.getByRole('button', { name: 'Keep and share' }).click()
    const link = await world.screen.locator('p.hint code').first().innerText()
    const colleague = await world.marketer.newPage()
    await colleague.goto(link)
    await colleague.getByRole('heading', { name: 'Letters', level: 1 }).waitFor()
    await colleague.getByRole('button', { name: 'Farola: letters: fired at form-sent, /nights', exact: true }).waitFor()
    expect(await colleague.getByRole('button', { name: 'Make a trigger' }).count()).toBe(0)
    await colleague.close()
    await world.screen.getByRole('button', { name: 'End', exact: true }).click()
    await tab.close()

    await world.screen.getByRole('link', { name: 'Dry run' }).click()
    await world.screen.getByRole('row').filter({ hasText: 'Farola: letters' }).waitFor()
    await world.screen.getByRole('link', { name: 'Release 2 …' }).click()
    await world.screen.getByRole('textbox', { name: 'Name' }).fill('Letters for Farola')
    await world.screen.keyboard.press('Control+Enter')
    await world.screen.locator('.releases').getByText('Letters for Farola').waitFor()

    const goal = (await api<{ id: string; name: string }[]>('/goals')).find(({ name }) => name === 'Newsletter')
    await world.screen.goto(at(`/goals/${goal?.id}`))
    const figure = world.screen.locator('dl > div:has(dt:text-is("conversions")) dd').first()
    const count = async (): Promise<number> => Number((await figure.innerText()).replace(/\D/g, ''))
    await figure.waitFor()
    const before = await count()
    const visitor = await (await openWindow(world.browser)).newPage()
    await visitor.goto(`${world.demo.origins.shop}/nights`)
    await visitor.getByLabel('E-mail address').fill('vera@mail.example')
    await visitor.getByRole('button', { name: 'Send me letters' }).click()
    await expect.poll(count).toBe(before + 1)
    await expect.poll(async () => (await told()).filter((entry) => entry.what === 'interest').length).toBe(1)
    await visitor.context().close()
  })

  it('finds a wrong release by its difference, and restores the one before', async () => {
    await world.screen.goto(at('/wiring'))
    const wrong = await api<{ revision: number; triggers: { id: string; where: object }[]; tags: object[] }>('/wiring')
    const receipt = wrong.triggers.find(({ id }) => id === 'receipt')
    if (receipt) receipt.where = { any: [{ all: [{ reading: 'path', op: 'is', value: '/nights' }] }] }
    const send = (method: string, path: string, body: object): Promise<Response> =>
      fetch(`${world.demo.server.url}/api/v1/sites/${world.demo.key}${path}`, {
        method,
        headers: { authorization: `Bearer ${TOKEN}`, 'content-type': 'application/json' },
        body: JSON.stringify(body),
      })
    expect((await send('PUT', '/wiring', wrong)).status).toBe(200)
    expect((await send('POST', '/releases', { name: 'Tidied up' })).status).toBe(201)

    await world.screen.goto(at('/releases'))
    await world.screen.getByLabel('From', { exact: true }).selectOption('2')
    await world.screen.getByLabel('To', { exact: true }).selectOption('3')
    await world.screen.getByText('Trigger changed').waitFor()
    expect(await world.screen.locator('.changes').first().innerText()).toMatch(/path is \/nights\/thanks[\s\S]*path is \/nights(\n|$)/)
    const entry = world.screen.locator('.releases > *').filter({ hasText: 'Letters for Farola' })
    await entry.getByRole('button', { name: 'Restore …' }).click()
    await entry.getByRole('button', { name: 'Put it live again' }).click()
    await world.screen.locator('.releases').getByText('restores release 2', { exact: false }).first().waitFor()
    const { triggers } = await api<{ triggers: { id: string; where: object }[] }>('/wiring')
    expect(JSON.stringify(triggers.find(({ id }) => id === 'receipt')?.where)).toContain('/nights/thanks')
  })
})
