import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { FetchError, isPublic, publicFetch } from './publicFetch.js'

type Answer = (request: IncomingMessage, response: ServerResponse) => void
const pages: Record<string, Answer> = {}
let server: Server
let origin: string
const asked: string[] = []
/** The site is at home here, so its own addresses may be fetched although they are no public ones. */
const own = ['site.localhost']
const never = new AbortController().signal

beforeAll(async () => {
  server = createServer((request, response) => {
    asked.push(`${request.headers.host} ${request.url}`)
    const page = pages[request.url ?? '']
    if (page) page(request, response)
    else response.writeHead(404).end('nothing')
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', () => resolve()))
  origin = `http://site.localhost:${(server.address() as AddressInfo).port}`
})
afterAll(() => server.close())

const redirect =
  (location: string): Answer =>
  (_request, response) =>
    void response.writeHead(302, { location }).end()
const why = (address: string, hosts = own): Promise<string> =>
  publicFetch(address, hosts, never).then(
    () => 'fetched',
    (error: unknown) => {
      expect(error).toBeInstanceOf(FetchError)
      return (error as Error).message
    },
  )

describe("a page of the site's own", () => {
  it('is fetched with status, kind, text and policy', async () => {
    pages['/'] = (_request, response) =>
      void response.writeHead(200, { 'content-type': 'text/html', 'content-security-policy': "default-src 'self'" }).end('<h1>Hi</h1>')
    expect(await publicFetch(`${origin}/`, own, never)).toEqual({
      url: `${origin}/`,
      status: 200,
      type: 'text/html',
      text: '<h1>Hi</h1>',
      policy: "default-src 'self'",
    })
    expect(await publicFetch(`${origin}/missing`, own, never)).toMatchObject({ status: 404, text: 'nothing', policy: null })
  })

  it('is followed where it leads within the site, and known by where it ends', async () => {
    pages['/old'] = redirect('/older')
    pages['/older'] = redirect(`${origin}/`)
    expect(await publicFetch(`${origin}/old`, own, never)).toMatchObject({ url: `${origin}/`, status: 200 })
  })

  it('is read no further than two megabytes', async () => {
    pages['/huge'] = (_request, response) => {
      response.writeHead(200, { 'content-type': 'text/html' })
      const more = (): void => {
        while (!response.destroyed) if (!response.write('x'.repeat(64 * 1024))) return void response.once('drain', more)
      }
      more()
    }
    expect((await publicFetch(`${origin}/huge`, own, never)).text).toHaveLength(2 * 1024 ** 2)
  })

  it('tells who asks and why, and sends no secrets along', async () => {
    let headers: IncomingMessage['headers'] = {}
    pages['/headers'] = (request, response) => {
      headers = request.headers
      response.end()
    }
    await publicFetch(`${origin}/headers`, own, never)
    expect(headers['user-agent']).toContain('asked for by the owner of this site')
    expect(headers.cookie ?? headers.authorization).toBeUndefined()
  })
})

describe('what is not fetched, with the reason', () => {
  it.each([
    ['http://127.0.0.1/'],
    ['http://localhost:4600/'],
    ['http://other.localhost/'],
    ['http://[::1]/'],
    ['http://[::ffff:127.0.0.1]/'],
    ['http://169.254.169.254/latest/meta-data'],
    ['http://10.0.0.7/'],
    ['http://0.0.0.0/'],
    ['http://2130706433/'],
    ['http://0x7f.1/'],
    ['http://017700000001/'],
    ['http://[fe80::1]/'],
    ['http://[fd00::1]/'],
    ['http://[64:ff9b::7f00:1]/'],
  ])('%s leads into a private network', async (address) => {
    expect(await why(address)).toBe('it leads into a private network')
  })

  it.each(['file:///etc/passwd', 'ftp://site.localhost/', 'data:text/html,x'])('%s is no address of the web', async (address) => {
    expect(await why(address)).toMatch(/is not fetched$/)
  })

  it('an address behind a redirect is looked at just as closely, and is not asked', async () => {
    const { port } = server.address() as AddressInfo
    for (const location of [`http://127.0.0.1:${port}/secret`, `http://other.localhost:${port}/secret`, '//127.0.0.1/', 'file:///etc/passwd']) {
      pages['/trap'] = redirect(location)
      expect(await why(`${origin}/trap`), location).toMatch(/private network|is not fetched/)
    }
    expect(asked.filter((each) => each.includes('secret'))).toEqual([])
  })

  it('a circle of redirects', async () => {
    pages['/a'] = redirect('/b')
    pages['/b'] = redirect('/a')
    expect(await why(`${origin}/a`)).toBe('it redirects in a circle')
  })

  it('what leads to something that is no address', async () => {
    pages['/odd'] = redirect('http://[')
    expect(await why(`${origin}/odd`)).toBe('it redirects to something that is no address')
  })

  it('a host where nothing answers, or that nobody knows', async () => {
    expect(await why('http://site.localhost:9/')).toMatch(/nothing answers there|bad port/)
    expect(await why('http://no-such-host.invalid/')).toBe('its host is not known')
  })
})

describe('an address of the public internet', () => {
  it.each(['8.8.8.8', '172.32.0.1', '100.128.0.1', '::ffff:9.9.9.9', '2620:fe::fe'])('is %s', (address) => expect(isPublic(address)).toBe(true))
  it.each([
    '172.16.0.1',
    '172.31.255.255',
    '100.64.0.1',
    '192.168.1.1',
    '198.18.0.1',
    '224.0.0.1',
    '255.255.255.255',
    '2001:db8::1',
    '2002:7f00:1::',
    '::',
    'no address',
  ])('is not %s', (address) => expect(isPublic(address)).toBe(false))
})
