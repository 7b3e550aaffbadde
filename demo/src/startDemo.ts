import { randomBytes } from 'node:crypto'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Config } from '@acequia/server/app/config'
import { startServer, type RunningServer } from '@acequia/server/app/startServer'
import { Paloma } from './outside/Paloma.js'
import { demoWorld, originsOf, type WorldOrigins } from './outside/world.js'
import { apiOf, firedTagsOf, setUpDemo } from './setUp.js'
import { Trickle } from './visitors/Trickle.js'

/** A demo that runs. */
export interface RunningDemo {
  server: RunningServer
  /** The application, as browsers reach it. */
  acequia: string
  origins: WorldOrigins
  key: string
  stop(): Promise<void>
}

/**
 * Starts everything with demo data: Acequia, the observatory's website, the stand-ins. The first
 * time it creates the data.
 */
export async function startDemo(config: Config, options: { port: number; traffic: boolean }, told: (what: string) => void): Promise<RunningDemo> {
  const token = config.token ?? randomBytes(24).toString('hex')
  const outside = createServer()
  const paloma = new Paloma()
  await new Promise<void>((resolve, reject) => {
    outside.once('error', (error: NodeJS.ErrnoException) =>
      reject(error.code === 'EADDRINUSE' ? new Error(`Port ${options.port} is taken; set ACEQUIA_DEMO_PORT to another one.`) : error),
    )
    outside.listen(options.port, config.host, resolve)
  })
  const { port } = outside.address() as AddressInfo
  try {
    const smtpUrl = config.smtpUrl ?? (await paloma.open())
    const server = await startServer({ ...config, token, smtpUrl }, told)
    const acequia = `http://localhost:${new URL(server.url).port}`
    const api = apiOf(server.url, token)
    const sites = (await api('GET', '/sites')) as unknown as { key: string }[]
    const key = sites[0]?.key ?? (await setUpDemo(server, api, port, told))
    const trickle = new Trickle(`${server.url}/c/${key}`, originsOf(port).shop, await firedTagsOf(server, key))
    outside.on('request', demoWorld({ port, acequia, key }, trickle, paloma))
    if (options.traffic) trickle.turn(true)
    return {
      server,
      acequia,
      origins: originsOf(port),
      key,
      async stop() {
        trickle.turn(false)
        outside.close()
        outside.closeAllConnections()
        await server.stop()
        await paloma.close()
      },
    }
  } catch (error) {
    outside.close()
    await paloma.close()
    throw error
  }
}
