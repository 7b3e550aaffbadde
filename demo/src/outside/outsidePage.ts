import { html, type Html } from '../website/html.js'

/** A plain page of the demo's outside world. */
export function outsidePage(title: string, body: Html): string {
  return html`
    <!doctype html>
    <html lang="en">
      <head>
        <meta charset="utf-8" />
        <meta name="viewport" content="width=device-width" />
        <title>${title}</title>
        <style>
          body {
            font:
              15px/1.5 system-ui,
              sans-serif;
            max-width: 1100px;
            margin: 40px auto;
            padding: 0 20px;
            color: #2a2433;
            background: #f6f4fa;
          }
          h1 {
            font-size: 26px;
          }
          table {
            border-collapse: collapse;
            width: 100%;
            background: white;
          }
          th,
          td {
            text-align: left;
            padding: 6px 10px;
            border-bottom: 1px solid #e4deee;
            font-size: 13px;
            overflow-wrap: anywhere;
          }
          th {
            color: #6a5f7d;
          }
          button {
            font: inherit;
            padding: 8px 18px;
            border: 0;
            border-radius: 20px;
            background: #5b3f8c;
            color: white;
            cursor: pointer;
          }
          .empty,
          .note {
            color: #6a5f7d;
          }
          .card {
            background: white;
            border: 1px solid #e4deee;
            border-radius: 12px;
            padding: 24px;
            max-width: 420px;
          }
          .letter {
            max-width: none;
            margin-bottom: 16px;
          }
          pre {
            white-space: pre-wrap;
            font: inherit;
          }
          .amount {
            font-size: 30px;
            font-weight: 700;
          }
          li {
            margin: 6px 0;
          }
        </style>
      </head>
      <body>
        ${body}
      </body>
    </html>
  `.text
}
