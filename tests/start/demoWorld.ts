import type { Browser, BrowserContext, Page } from 'playwright-core'
import { afterAll, beforeAll, inject } from 'vitest'
import { DEMO_PERSON } from '../../demo/src/setUp.js'
import type { RunningDemo } from '../../demo/src/startDemo.js'
import { openWindow, signIn, startBrowser } from './browser.js'
import { startTestDemo } from './testDemo.js'
import { TOKEN } from './testServer.js'

/** The demo, and a marketer who has signed in to it. */
export interface DemoWorld {
  demo: RunningDemo
  browser: Browser
  marketer: BrowserContext
  screen: Page
  /** The address of one of the site's screens. */
  at: (path: string) => string
  /** Asks the API about the site, as its owner. */
  api: <T>(path: string) => Promise<T>
  /** Reads JSON that a stand-in of the outside world shows. */
  outside: <T>(origin: string, path: string) => Promise<T>
}

/** Starts the demo and a browser for the tests of a file, and stops both after them. Its members are there once tests run. */
export function useDemoWorld(): DemoWorld {
  const world = {} as DemoWorld
  beforeAll(async () => {
    const [demo, browser] = await Promise.all([startTestDemo(inject('databaseUrl')), startBrowser()])
    const marketer = await openWindow(browser, { acceptDownloads: true })
    const screen = await marketer.newPage()
    await signIn(screen, demo.acequia, DEMO_PERSON)
    Object.assign(world, { demo, browser, marketer, screen })
    world.at = (path) => `${demo.acequia}/s/${demo.key}${path}`
    world.api = async <T>(path: string) =>
      (await (await fetch(`${demo.server.url}/api/v1/sites/${demo.key}${path}`, { headers: { authorization: `Bearer ${TOKEN}` } })).json()) as T
    world.outside = async <T>(origin: string, path: string) => {
      const page = await marketer.newPage()
      await page.goto(origin + path)
      const found = JSON.parse(await page.evaluate(() => document.body.innerText)) as T
      await page.close()
      return found
    }
  })
  afterAll(async () => {
    await world.browser?.close()
    await world.demo?.stop()
  })
  return world
}
