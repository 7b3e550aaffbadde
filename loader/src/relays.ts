import { config } from './config.js'
import { hear } from './hearing.js'
import { visitorId } from './outbox.js'
import { quietly } from './quietly.js'
import { given } from './record.js'

/** Tells relay links of ours who passes through and what they agreed to, so that the passage belongs to the same visit. */
export const watchRelays = quietly((): void => {
  const name = (event: Event): void => {
    const link = event.composedPath().find((each): each is HTMLAnchorElement => /^a$/i.test((each as Element).tagName ?? ''))
    const visitor = visitorId()
    if (!link || !link.href.startsWith(`${config.origin}/r/${config.key}/`)) return
    const url = new URL(link.href)
    if (visitor) url.searchParams.set('visitor', visitor)
    if (given().marketing) url.searchParams.set('agreed', 'marketing')
    link.href = url.href
  }
  hear('click', name)
  hear('auxclick', name)
})
