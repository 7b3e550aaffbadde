/**
 * What a build of the loader contains. The server sets these when it bundles the loader for a
 * release, so that pages carry only what their wiring uses.
 */
declare const ACEQUIA_ACCEPTED: boolean
declare const ACEQUIA_ADDRESS: boolean
declare const ACEQUIA_SEEN: boolean
declare const ACEQUIA_CLICK: boolean
declare const ACEQUIA_SCROLL: boolean
declare const ACEQUIA_TIME: boolean
declare const ACEQUIA_VIDEO: boolean
declare const ACEQUIA_READINGS: boolean
declare const ACEQUIA_FIELDS: boolean
declare const ACEQUIA_TABLES: boolean
declare const ACEQUIA_GOALS: boolean
declare const ACEQUIA_TAGS: boolean
declare const ACEQUIA_SCRIPTS: boolean
declare const ACEQUIA_HTML: boolean
declare const ACEQUIA_CLICK_IDS: boolean
declare const ACEQUIA_RELAYS: boolean
/** Built for a relay page of ours, not for a page of the site. */
declare const ACEQUIA_RELAY_PAGE: boolean
/** Built for somebody who watches: reports everything it decides. */
declare const ACEQUIA_PROBE: boolean
/** Built for a rehearsal of the draft: nothing counts, and a badge says so. */
declare const ACEQUIA_REHEARSAL: boolean
