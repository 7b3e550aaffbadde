import type { LoaderConfig } from '@acequia/core/wiring/LoaderConfig'

declare const __ACEQUIA_CONFIG__: LoaderConfig

/** The live release and settings of the site; the server puts them in place of the name. */
export const config: LoaderConfig = __ACEQUIA_CONFIG__
