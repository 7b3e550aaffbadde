import { installationText } from '@acequia/core/installation/guides'
import * as z from 'zod'
import { siteRoute, type Route } from '../api/Route.js'
import type { Services } from '../app/Services.js'
import { publicUrlOf } from '../wiring/loaderRouter.js'

/** Mailing the loader to whoever keeps the site. */
export function mailRoutes({ config, post }: Services): Route[] {
  return [
    siteRoute('reader', {
      method: 'get',
      path: '/sites/{key}/loader:mail',
      summary: 'Whether this server can send mail',
      handle: () => Promise.resolve({ canSend: post.isSetUp }),
    }),
    siteRoute('editor', {
      method: 'post',
      path: '/sites/{key}/loader:mail',
      summary: 'Mail the loader to whoever keeps the site',
      body: z.object({
        to: z.string().trim().max(255).pipe(z.email('This is no e-mail address.')),
        note: z.string().max(5000).default(''),
      }),
      handle: async ({ site, body, actor, request }) => {
        const text = installationText(site.settings.name, publicUrlOf(request, config.publicUrl), site.key, site.settings.scriptHosts)
        await post.send({
          to: body.to,
          replyTo: actor.email,
          subject: `The loader for ${site.settings.name.replace(/[\r\n]+/g, ' ')}`,
          text: `${body.note ? `${body.note}\n\n${actor.name}\n\n----\n\n` : ''}${text}`,
          attachments: [{ filename: `loader-${site.key}.txt`, content: text }],
        })
      },
    }),
  ]
}
