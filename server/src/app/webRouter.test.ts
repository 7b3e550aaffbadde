import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { get, type IncomingMessage, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { brotliCompressSync, brotliDecompressSync, gunzipSync, gzipSync } from 'node:zlib'
import express from 'express'
import pino from 'pino'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { problemHandler } from '../api/apiRouter.js'
import { webRouter } from './webRouter.js'

const SCRIPT = `console.log("${'a long script '.repeat(200)}")`
const folder = mkdtempSync(join(tmpdir(), 'acequia-web-'))
let server: Server

beforeAll(async () => {
  mkdirSync(join(folder, 'assets'))
  writeFileSync(join(folder, 'index.html'), '<!doctype html><title>Acequia</title>')
  writeFileSync(join(folder, 'icon.svg'), '<svg/>')
  writeFileSync(join(folder, 'assets/main-x1.js'), SCRIPT)
  writeFileSync(join(folder, 'assets/main-x1.js.br'), brotliCompressSync(SCRIPT))
  writeFileSync(join(folder, 'assets/main-x1.js.gz'), gzipSync(SCRIPT))
  writeFileSync(join(folder, 'assets/small-x2.js'), 'x')
  const app = express()
  app.use(webRouter(folder))
  app.use(problemHandler(pino({ level: 'silent' })))
  await new Promise<void>((resolve) => (server = app.listen(0, '127.0.0.1', () => resolve())))
})
afterAll(() => {
  server.close()
  rmSync(folder, { recursive: true, force: true })
})

/** Asks as a browser would, but unpacks nothing. */
async function ask(path: string, headers: Record<string, string> = {}): Promise<{ answer: IncomingMessage; body: Buffer }> {
  const answer = await new Promise<IncomingMessage>((resolve, reject) =>
    get({ host: '127.0.0.1', port: (server.address() as AddressInfo).port, path, headers, agent: false }, resolve).on('error', reject),
  )
  const parts: Buffer[] = []
  for await (const part of answer) parts.push(part as Buffer)
  return { answer, body: Buffer.concat(parts) }
}

describe('a script of the interface', () => {
  it.each([
    ['gzip, deflate, br, zstd', 'br', brotliDecompressSync],
    ['gzip, deflate', 'gzip', gunzipSync],
  ] as const)('goes out compressed to who accepts %s', async (accepted, encoding, unpack) => {
    const { answer, body } = await ask('/assets/main-x1.js', { 'accept-encoding': accepted })
    expect(answer.headers['content-encoding']).toBe(encoding)
    expect(answer.headers['content-type']).toMatch(/^text\/javascript/)
    expect(answer.headers.vary).toMatch(/accept-encoding/i)
    expect(body.length).toBeLessThan(SCRIPT.length / 5)
    expect(unpack(body).toString()).toBe(SCRIPT)
  })

  it('goes out as it is to who accepts nothing else, and where there is no smaller form', async () => {
    const plain = await ask('/assets/main-x1.js')
    expect(plain.answer.headers['content-encoding']).toBeUndefined()
    expect(plain.body.toString()).toBe(SCRIPT)
    expect((await ask('/assets/small-x2.js', { 'accept-encoding': 'br' })).body.toString()).toBe('x')
  })

  it('is kept by the browser for good, since its name changes with it', async () => {
    const { answer } = await ask('/assets/main-x1.js', { 'accept-encoding': 'br' })
    expect(answer.headers['cache-control']).toBe('public, max-age=31536000, immutable')
  })

  it('that does not exist is not answered with the page', async () => {
    const { answer, body } = await ask('/assets/main-x0.js', { accept: '*/*' })
    expect(answer.statusCode).toBe(404)
    expect(body.toString()).not.toContain(folder)
  })
})

describe('the page', () => {
  it.each(['/', '/sign-in', '/s/abcdefgh/goals/new', '/s/abcdefgh/visitors/a.b'])('is there at %s, and looked for anew each time', async (path) => {
    const { answer, body } = await ask(path, { accept: 'text/html' })
    expect(answer.statusCode).toBe(200)
    expect(answer.headers['cache-control']).toBe('no-cache')
    expect(body.toString()).toContain('<title>Acequia</title>')
  })

  it('does not stand in for what programs ask for', async () => {
    const { answer, body } = await ask('/api/v2/sites', { accept: 'application/json' })
    expect(answer.statusCode).toBe(404)
    expect(JSON.parse(body.toString())).toMatchObject({ status: 404, detail: 'There is nothing at /api/v2/sites.' })
  })

  it('shows nothing from outside its folder', async () => {
    for (const path of ['/../package.json', '/%2e%2e/package.json', '/assets/..%2f..%2fpackage.json', '/assets/%2e%2e/%2e%2e/etc/passwd', '/%'])
      expect((await ask(path, { accept: '*/*' })).body.toString()).not.toMatch(/"name"|root:/)
  })
})
