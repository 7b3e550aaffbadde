import { readConfig } from './app/config.js'
import { startServer } from './app/startServer.js'

/** `npm start`: the server alone. */
try {
  const server = await startServer(readConfig(process.env), (what) => console.log(what))
  console.log(`Acequia serves at ${server.url}`)
  const stop = (): void => {
    process.off('SIGINT', stop).off('SIGTERM', stop)
    server.stop().then(
      () => process.exit(0),
      (error: unknown) => {
        console.error(error)
        process.exit(1)
      },
    )
  }
  process.on('SIGINT', stop).on('SIGTERM', stop)
} catch (error) {
  console.error(error instanceof Error ? error.message : error)
  process.exit(1)
}
