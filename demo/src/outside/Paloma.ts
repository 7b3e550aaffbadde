import { Router } from 'express'
import { simpleParser, type ParsedMail } from 'mailparser'
import { SMTPServer } from 'smtp-server'
import { html } from '../website/html.js'
import { outsidePage } from './outsidePage.js'

const MOST = 200

/** *Paloma Post*, a mail box of the demo world: takes any mail and shows it. */
export class Paloma {
  private mails: { at: number; mail: ParsedMail }[] = []
  private server: SMTPServer | undefined

  /** Begins to take mail on a free loopback port. @returns how to reach it, as `smtp://…` */
  async open(): Promise<string> {
    const server = new SMTPServer({
      disabledCommands: ['AUTH', 'STARTTLS'],
      size: 2 * 1024 ** 2,
      onData: (incoming, _session, done) => {
        simpleParser(incoming).then(
          (mail) => {
            this.mails = [{ at: Date.now(), mail }, ...this.mails].slice(0, MOST)
            done()
          },
          (error: unknown) => done(error as Error),
        )
      },
    })
    this.server = server
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject)
      server.listen(0, '127.0.0.1', resolve)
    })
    const address = server.server.address()
    return `smtp://127.0.0.1:${typeof address === 'object' && address ? address.port : 25}`
  }

  /** Takes nothing more. */
  close(): Promise<void> {
    return new Promise((resolve) => (this.server ? this.server.close(() => resolve()) : resolve()))
  }

  /** The pages on which one reads the mail. */
  router(): Router {
    const router = Router()
    router.get('/mails.json', (_request, response) => void response.json(this.mails.map(({ mail }) => ({ subject: mail.subject, text: mail.text }))))
    router.get('/', (_request, response) => {
      const to = (mail: ParsedMail): string =>
        [mail.to]
          .flat()
          .map((each) => each?.text ?? '')
          .join(', ')
      response.send(
        outsidePage(
          'Paloma Post',
          html`
            <h1>Paloma Post</h1>
            <p>Mail that was sent since the demo was started, newest first.</p>
            ${this.mails.map(
              ({ at, mail }) => html`
                <div class="card letter">
                  <p class="note">${new Date(at).toLocaleTimeString('en-GB')} · from ${mail.from?.text ?? ''} · to ${to(mail)}</p>
                  <h2>${mail.subject ?? ''}</h2>
                  <pre>${mail.text ?? ''}</pre>
                  ${mail.attachments.map((each) => html` <p class="note">With it: ${each.filename ?? 'a file'}, ${each.size} bytes</p> `)}
                </div>
              `,
            )}
            ${this.mails.length === 0 && html` <p class="empty">No mail yet. Acequia can mail the loader to whoever keeps the site.</p> `}
          `,
        ),
      )
    })
    return router
  }
}
