import { config } from './config.js'

declare const __ACEQUIA_PROBE_TOKEN__: string

/** What opens this rehearsal or test visit; only in builds for somebody who watches. */
export const probeToken = ACEQUIA_PROBE ? __ACEQUIA_PROBE_TOKEN__ : ''

/** What a watched loader tells of itself, beside the time it was told. */
export type ProbeReport =
  | { kind: 'ran'; url: string; release: number }
  | { kind: 'event'; event: object; source: object }
  | { kind: 'judged'; trigger: string; uid: string; holds: boolean; excepted: boolean }
  | { kind: 'fired'; tag: string; uid: string }
  | { kind: 'held'; tag: string; uid: string; reason: string }
  | { kind: 'sent'; tag: string; uid: string; address: string; body: string | undefined }
  | { kind: 'outcome'; tag: string; uid: string; worked: boolean }
  | { kind: 'error'; tag: string; message: string; stack: string | undefined }
  | { kind: 'clicked'; selector: string; text: string | undefined; link: boolean; url: string }
  | { kind: 'appeared'; selector: string; text: string | undefined; url: string }
  | { kind: 'picked'; selector: string; matches: number; text: string | undefined; url: string }

let waiting: (ProbeReport & { at: number })[] = []
let timer: ReturnType<typeof setTimeout> | undefined

/** Tells whoever watches; only in builds for somebody who does. */
export function report(what: ProbeReport): void {
  waiting.push({ ...what, at: Date.now() })
  timer ??= setTimeout(send, 50)
}

/** Sends what was not told yet; also right before the page goes away. */
export function send(): void {
  clearTimeout(timer)
  timer = undefined
  if (!waiting.length) return
  const body = JSON.stringify(waiting)
  waiting = []
  fetch(`${config.origin}/p/${probeToken}/reports`, {
    method: 'POST',
    body,
    keepalive: true,
    credentials: 'omit',
    headers: { 'content-type': 'text/plain' },
  }).catch(() => undefined)
}
