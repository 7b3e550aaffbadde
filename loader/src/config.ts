import type { Reader } from '@acequia/core/readings/readEvent'
import type { LoaderConfig } from '@acequia/core/wiring/LoaderConfig'
import type { PageEvent } from './PageEvent.js'

declare const __ACEQUIA_CONFIG__: LoaderConfig
declare const __ACEQUIA_SCRIPTS__: Record<string, (read: Reader, event: PageEvent) => unknown>

/** The live release and settings of the site; the server puts them in place of the name. */
export const config: LoaderConfig = __ACEQUIA_CONFIG__

/** The marketer's own scripts by tag, as functions: no text is ever run as code on the page. */
export const scripts = __ACEQUIA_SCRIPTS__

/** The loader's own element; what it adds to the page carries the same nonce. */
export const ownScript = document.currentScript as HTMLScriptElement | null
