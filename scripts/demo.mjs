import { orExplain, prepare } from './prepare.mjs'
import { runTypeScript } from './runTypeScript.mjs'

orExplain(() => prepare(process.env.ACEQUIA_DB_URL ? [] : ['mariadb-server']))
runTypeScript('demo/src/main.ts', process.argv.slice(2))
