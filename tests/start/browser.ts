import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core'

/** Starts Debian's headless Chromium, without its own traffic to the outside. */
export function startBrowser(): Promise<Browser> {
  return chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  })
}

/** A window of a person: 1280×800, in Madrid, reading British English. */
export async function openWindow(browser: Browser, more: Parameters<Browser['newContext']>[0] = {}): Promise<BrowserContext> {
  const window = await browser.newContext({ viewport: { width: 1280, height: 800 }, locale: 'en-GB', timezoneId: 'Europe/Madrid', ...more })
  // As long as everything else may take; see vitest.config.ts.
  window.setDefaultTimeout(60_000)
  return window
}

/** Signs somebody in and waits for the first screen. */
export async function signIn(page: Page, acequia: string, person: { email: string; password: string }): Promise<void> {
  await page.goto(`${acequia}/sign-in`)
  await page.getByLabel('E-mail address').fill(person.email)
  await page.getByLabel('Password').fill(person.password)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await page.waitForURL(/\/s\//)
}
