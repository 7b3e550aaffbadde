import { mkdirSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { DEMO_PERSON } from '../demo/src/setUp.js'
import { startDemo } from '../demo/src/startDemo.js'
import { readConfig } from '../server/src/app/config.js'
import { openWindow, signIn, startBrowser } from '../tests/start/browser.js'

/** Makes every picture of docs/screenshots from the demo data. */
const folder = join(fileURLToPath(new URL('..', import.meta.url)), 'docs/screenshots')
mkdirSync(folder, { recursive: true })
const data = mkdtempSync(join(tmpdir(), 'acequia-screenshots-'))
const token = 'token-for-screenshots'
const demo = await startDemo(readConfig({ ACEQUIA_DATA: data, ACEQUIA_LOG_LEVEL: 'error', ACEQUIA_TOKEN: token }), { port: 4601, traffic: true }, console.log)
const browser = await startBrowser()

const api = async <T>(path: string, method = 'GET', body?: unknown): Promise<T> => {
  const answer = await fetch(`${demo.server.url}/api/v1/sites/${demo.key}${path}`, {
    method,
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
    ...(body !== undefined && { body: JSON.stringify(body) }),
  })
  return (await answer.json()) as T
}

try {
  const [goal] = await api<{ id: string }[]>('/goals')
  const [funnel] = await api<{ id: string }[]>('/funnels')
  const conversions = await api<{ visitor: string }[]>(`/goals/${goal?.id}/conversions?from=2020-01-01&to=2100-01-01`)
  const conversion = conversions[conversions.length - 1]
  const shots: [name: string, path: string, open?: string][] = [
    ['today', '/today'],
    ['goals', '/goals'],
    ['goal', `/goals/${goal?.id}`],
    ['goal-editor', `/goals/${goal?.id}/edit`, '[data-slot="kind.where.any.0.all.0.value"]'],
    ['wiring', '/wiring'],
    ['trigger', '/wiring/trigger/letters'],
    ['tag', '/wiring/tag/farola-night'],
    ['relays', '/wiring/relays'],
    ['release', '/wiring/release'],
    ['dry-run', '/wiring/dry-run'],
    ['releases', '/releases'],
    ['checkup', '/checkup'],
    ['funnel', `/funnels/${funnel?.id}`],
    ['visitor', `/visitors/${conversion?.visitor}`],
    ['site', '/site'],
    ['channels', '/channels'],
  ]
  // The survey is part of what the checkup looks at.
  await api('/survey', 'POST', {})
  for (const colorScheme of ['light', 'dark'] as const) {
    const window_ = await openWindow(browser, { colorScheme })
    const page = await window_.newPage()
    await signIn(page, demo.acequia, DEMO_PERSON)
    for (const [name, path, open] of colorScheme === 'light' ? shots : shots.filter(([each]) => each === 'goal-editor')) {
      await page.goto(`${demo.acequia}/s/${demo.key}${path}`)
      await page.waitForTimeout(2200)
      if (open) await page.click(open)
      await page.waitForTimeout(600)
      const file = `${name}${colorScheme === 'dark' ? '-dark' : ''}.png`
      await page.screenshot({ path: join(folder, file) })
      console.log(file)
    }
    if (colorScheme === 'light') {
      await page.goto(`${demo.acequia}/s/${demo.key}/rehearsal`)
      await page.getByLabel('Page to begin on').fill('/nights')
      const [tab] = await Promise.all([window_.waitForEvent('page'), page.getByRole('button', { name: 'Rehearse' }).click()])
      // The loader keeps the rehearsal's token once it has run; clicking before that would leave the rehearsal.
      await page.getByRole('button', { name: 'Farola base: fired' }).first().waitFor()
      await tab.getByRole('link', { name: 'Book your seats' }).click()
      await tab.getByLabel('Your name').fill('Ada')
      await tab.getByRole('button', { name: 'On to payment' }).click()
      await tab.getByRole('button', { name: 'Pay now' }).click()
      await tab.waitForURL(/thanks/)
      await page.getByRole('button', { name: 'Farola: night booked: fired' }).first().waitFor()
      await page.getByRole('button', { name: 'Farola: night booked: held' }).last().click()
      await page.waitForTimeout(400)
      await page.screenshot({ path: join(folder, 'rehearsal.png') })
      await tab.close()
      await page.goto(`${demo.origins.shop}/nights`)
      await page.waitForTimeout(600)
      await page.screenshot({ path: join(folder, 'demo-website.png') })
    }
    await window_.close()
  }
} finally {
  await browser.close()
  await demo.stop()
  rmSync(data, { recursive: true, force: true })
}
