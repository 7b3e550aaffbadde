import { createTransport, type Transporter } from 'nodemailer'
import { Problem } from '../api/Problem.js'

/** Hands mail over to the operator's mail server. */
export class Post {
  private readonly transport: Transporter | undefined

  /** @param url `smtp://…`, or undefined where no mail can be sent */
  constructor(
    url: string | undefined,
    private readonly from: string,
  ) {
    this.transport = url ? createTransport(url, { connectionTimeout: 10_000, greetingTimeout: 10_000, socketTimeout: 20_000 } as object) : undefined
  }

  /** Whether mail can be sent at all. */
  get isSetUp(): boolean {
    return this.transport !== undefined
  }

  /**
   * Sends a text to one person.
   * @throws Problem when there is no mail server or it refuses, saying why
   */
  async send(mail: {
    to: string
    replyTo: string | null
    subject: string
    text: string
    attachments?: { filename: string; content: string }[]
  }): Promise<void> {
    if (!this.transport)
      throw new Problem(
        'unavailable',
        'This server is not set up to send mail; whoever runs it can set ACEQUIA_SMTP_URL. Download the text and send it yourself.',
      )
    try {
      await this.transport.sendMail({ from: this.from, ...mail, replyTo: mail.replyTo ?? undefined })
    } catch (error) {
      throw new Problem('unavailable', `The mail server did not take it: ${(error as Error).message}`)
    }
  }
}
