import { readFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { SMTPServer } from 'smtp-server'
import { afterAll, beforeAll, beforeEach, describe, expect, inject, it } from 'vitest'
import { recipeJsonSchema } from '../../server/src/channels/channelsRoutes.js'
import { isPublic } from '../../server/src/survey/publicFetch.js'
import { startTestServer, type TestServer } from '../start/testServer.js'

let server: TestServer
let smtp: SMTPServer
let pages: Server
let key: string
let shop: string
const mails: string[] = []
/** What pages answer, by path; a function may answer by itself. */
let bodies: Record<string, string | { status?: number; type?: string; location?: string; text?: string }> = {}

beforeAll(async () => {
  smtp = new SMTPServer({
    disabledCommands: ['AUTH', 'STARTTLS'],
    onData(incoming, _session, done) {
      let text = ''
      incoming.on('data', (chunk: Buffer) => (text += chunk.toString()))
      incoming.on('end', () => {
        mails.push(text)
        done()
      })
    },
  })
  await new Promise<void>((resolve) => smtp.listen(0, '127.0.0.1', resolve))
  pages = createServer((request, response) => {
    const found = bodies[request.url ?? '/']
    const answer = typeof found === 'string' ? { text: found } : found
    response.statusCode = answer?.status ?? (answer ? 200 : 404)
    response.setHeader('content-type', answer?.type ?? 'text/html')
    if (answer?.location) response.setHeader('location', answer.location)
    response.end(answer?.text ?? '')
  })
  await new Promise<void>((resolve) => pages.listen(0, '127.0.0.1', resolve))
  shop = `http://altolucero.localhost:${(pages.address() as AddressInfo).port}`
  const { port } = smtp.server.address() as AddressInfo
  server = await startTestServer(inject('databaseUrl'), { ACEQUIA_SMTP_URL: `smtp://127.0.0.1:${port}` })
})
afterAll(async () => {
  await server.stop()
  pages.close()
  await new Promise<void>((resolve) => smtp.close(() => resolve()))
})
beforeEach(async () => {
  key = await server.addSite({ hosts: ['altolucero.localhost'] })
  bodies = {}
})

interface Survey {
  survey: { state: string; pages: { url: string; title: string | null; findings: string[]; detail: string | null }[] }
  before?: object
}
async function surveyed(body: object = { start: `${shop}/` }): Promise<Survey> {
  const begun = await server.api('POST', `/sites/${key}/survey`, body)
  expect(begun.status, JSON.stringify(begun.body)).toBe(202)
  for (;;) {
    const { body: answer } = await server.api<Survey>('GET', `/sites/${key}/survey`)
    if (answer.survey.state !== 'running') return answer
    await new Promise((resolve) => setTimeout(resolve, 50))
  }
}

describe('a survey', () => {
  it('says of every page whether the loader is there, once, with the right key, in the head, from us', async () => {
    const loader = (of = key, from = server.url): string => `<script async src="${from}/l/${of}.js"></script>`
    const page = (head: string, body = ''): string => `<html><head><title> A  page </title>${head}</head><body>${body}</body></html>`
    bodies = {
      '/': page(
        loader(),
        '<a href="/missing">a</a><a href="/twice#part">b</a><a href="/body">c</a><a href="/other-key">d</a><a href="https://elsewhere.example/">e</a>',
      ),
      '/missing': page(
        '',
        '<a href="/old">f</a><a href="/file">g</a><a href="/map.pdf">h</a><a href="/members/x">i</a><a href="/gone">j</a><a href="/moved">k</a>',
      ),
      '/twice': page(loader() + loader()),
      '/body': page('', loader()),
      '/other-key': page(loader('abcdefghjk')),
      '/old': page(loader(key, 'https://old.example')),
      '/file': { type: 'application/json', text: '{}' },
      '/moved': { status: 302, location: '/body' },
      '/robots.txt': { type: 'text/plain', text: `User-agent: *\nDisallow: /members\nSitemap: ${shop}/map.xml` },
      '/map.xml': { type: 'text/xml', text: `<sitemapindex><sitemap><loc>${shop}/pages.xml</loc></sitemap></sitemapindex>` },
      '/pages.xml': { type: 'text/xml', text: `<urlset><url><loc>${shop}/from-map</loc></url><url><loc>http://127.0.0.1:1/</loc></url></urlset>` },
      '/from-map': page(loader()),
    }
    const { survey } = await surveyed()
    expect(survey.state).toBe('done')
    const found = Object.fromEntries(survey.pages.map((each) => [new URL(each.url).pathname, each.findings.join(' ')]))
    expect(found).toEqual({
      '/': 'present',
      '/from-map': 'present',
      '/missing': 'missing',
      '/twice': 'twice',
      '/body': 'not-in-head',
      '/other-key': 'wrong-key',
      '/old': 'old-address',
      '/file': 'no-page',
      '/members/x': 'not-allowed',
      '/gone': 'missing',
      '/moved': 'not-in-head',
    })
    expect(survey.pages[0]).toMatchObject({ title: 'A page', detail: null })
    bodies['/missing'] = page(loader())
    expect(await surveyed({ start: '/missing', mostPages: 1 })).toHaveProperty('before')
  })

  it('fetches nothing outside the site, whatever a page or a person names', async () => {
    for (const start of ['http://127.0.0.1:22/', 'file:///etc/passwd', 'http://altolucero.example/', 'nonsense']) {
      expect((await server.api('POST', `/sites/${key}/survey`, { start })).status, start).toBe(400)
    }
    bodies['/'] = { status: 302, location: 'http://169.254.169.254/latest' }
    const { survey } = await surveyed()
    expect(survey.pages).toMatchObject([{ findings: ['not-reached'], detail: 'it leads into a private network' }])
  })

  it.each([
    ['127.0.0.1', false],
    ['10.1.2.3', false],
    ['172.20.0.1', false],
    ['192.168.1.1', false],
    ['169.254.169.254', false],
    ['100.64.0.1', false],
    ['0.0.0.0', false],
    ['::1', false],
    ['fe80::1', false],
    ['fd00::1', false],
    ['::ffff:127.0.0.1', false],
    ['8.8.8.8', true],
    ['172.32.0.1', true],
    ['2a00:1450::1', true],
  ])('takes %s for public: %s', (address, expected) => expect(isPublic(address)).toBe(expected))
})

describe('mail', () => {
  it('brings the loader to whoever keeps the site, with a note', async () => {
    const sent = await server.api('POST', `/sites/${key}/loader:mail`, { to: 'dev@altolucero.example', note: 'Please put this on all pages.' })
    expect(sent.status).toBe(204)
    expect(mails[0]).toContain('To: dev@altolucero.example')
    expect(mails[0]).toContain('Please put this on all pages.')
    expect(mails[0]?.replace(/=\r\n/g, '')).toContain(`/l/${key}.js`)
    expect((await server.api('POST', `/sites/${key}/loader:mail`, { to: 'a@b.example\nBcc: c@d.example' })).status).toBe(400)
    expect((await server.api('POST', `/sites/${key}/loader:mail`, { to: 'nobody' })).status).toBe(400)
  })
})

describe('a recipe', () => {
  const recipe = { recipe: 1, id: 'lib', name: 'Lib', calls: { base: { label: 'Base', steps: [{ script: 'https://cdn.lib.example/x.js' }] } } }
  it('asks first before it loads scripts from a host that nobody allowed', async () => {
    const asked = await server.api<{ hosts: string[]; type: string }>('POST', `/sites/${key}/recipes`, recipe)
    expect(asked).toMatchObject({ status: 409, body: { type: '/problems/ask-first', hosts: ['cdn.lib.example'] } })
    expect((await server.api('GET', `/sites/${key}/recipes`)).body).toEqual([])
    expect((await server.api('POST', `/sites/${key}/recipes?allow=yes`, recipe)).status).toBe(201)
    expect((await server.api('GET', `/sites/${key}`)).body).toMatchObject({ scriptHosts: ['cdn.lib.example'] })
    expect((await server.api('POST', `/sites/${key}/recipes`, { ...recipe, name: 'Lib 2' })).status).toBe(201)
  })
  it('belongs to its site: another one does not see it', async () => {
    await server.api('POST', `/sites/${key}/recipes?allow=yes`, recipe)
    expect((await server.api('GET', `/sites/${await server.addSite()}/recipes`)).body).toEqual([])
  })
  it('has a published JSON Schema', async () => {
    const { body } = await server.api<object>('GET', '/recipe.schema.json')
    expect(body).toEqual(recipeJsonSchema())
    expect(JSON.parse(readFileSync(new URL('../../docs/recipe.schema.json', import.meta.url), 'utf8'))).toEqual(recipeJsonSchema())
  })
})

describe('a channel', () => {
  it('shows what it was told, and that it has gone silent', async () => {
    await server.api('POST', `/sites/${key}/recipes`, { ...recipe(), calls: { base: { label: 'Base', steps: [{ image: 'https://lib.example/p.gif' }] } } })
    const { body: channel } = await server.api<{ id: string }>('POST', `/sites/${key}/channels`, { name: 'Lib', recipe: 'lib' })
    const does = { type: 'channel-event', channel: channel.id, call: 'base' }
    await server.api('PUT', `/sites/${key}/wiring`, {
      revision: 0,
      triggers: [{ id: 't', moment: { type: 'page-view' } }],
      tags: [{ id: 'base', name: 'Base', triggers: ['t'], does }],
    })
    await server.api('POST', `/sites/${key}/releases`, { name: 'Base' })
    const event = (daysAgo: number, more: object): object => ({
      uid: `e${daysAgo}${JSON.stringify(more).length}`,
      at: new Date(Date.now() - daysAgo * 86_400_000).toISOString(),
      url: 'https://altolucero.localhost/',
      ...more,
    })
    await server.collect(key, 'visitor-1', [event(9, { name: 'page-view', fired: ['base'] }), event(8, { name: 'tag-failed', data: { tag: 'base' } })])
    const { body } = await server.api<object[]>('GET', `/sites/${key}/channels:activity`)
    expect(body).toMatchObject([{ today: 0, total: 1, failed: 1, silent: true }])
    await server.collect(key, 'visitor-1', [event(0, { name: 'page-view', fired: ['base'] })])
    expect((await server.api<object[]>('GET', `/sites/${key}/channels:activity`)).body).toMatchObject([{ today: 1, total: 2, silent: false }])
  })
  const recipe = (): object => ({ recipe: 1, id: 'lib', name: 'Lib' })
})
