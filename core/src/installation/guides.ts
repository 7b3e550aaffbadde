/** A way of placing the loader, for one kind of website. */
export interface Guide {
  id: 'html' | 'template' | 'single-page' | 'csp'
  title: string
  /** What to do, a paragraph each. */
  steps: string[]
  /** Text to copy, if any. */
  code?: string
}

/** The loader's line for the pages of a site. */
export function snippetOf(origin: string, key: string): string {
  return `<${'script'} async src="${origin}/l/${key}.js"></${'script'}>`
}

/** Counts page views for visitors whose browser runs no scripts. */
export function noscriptOf(origin: string, key: string): string {
  return `<noscript><img src="${origin}/c/${key}.gif" alt="" width="1" height="1"></noscript>`
}

/**
 * The directives a Content-Security-Policy needs for the loader and for what channels load.
 * @param scriptHosts hosts from which recipes load scripts
 */
export function cspDirectives(origin: string, scriptHosts: readonly string[]): string[] {
  const scripts = [origin, ...scriptHosts].join(' ')
  return [`script-src ${scripts}`, `connect-src ${scripts}`, `img-src ${scripts}`]
}

/** How to place the loader in each kind of website. */
export function guidesOf(origin: string, key: string, scriptHosts: readonly string[]): Guide[] {
  const snippet = snippetOf(origin, key)
  return [
    {
      id: 'html',
      title: 'Plain HTML',
      steps: [
        'Open each page’s file and put the line right before </head>, once.',
        'Pages that were saved before keep working; only those with the line are measured.',
      ],
      code: snippet,
    },
    {
      id: 'template',
      title: 'A template or content system',
      steps: [
        'Find the one template that all pages share; it is often called layout, base, header or theme.',
        'Put the line right before </head> there. Where the system has a field for code in the head, that field is the place.',
        'Clear the system’s cache, then run the survey below: it says which pages have it.',
      ],
      code: snippet,
    },
    {
      id: 'single-page',
      title: 'A single-page application',
      steps: [
        'Put the line into the page that starts the application (index.html), not into a component: it must load once.',
        'Changes of the path count as page views by themselves. If your pages differ only by query or fragment, switch that on under Settings.',
        'Where the application knows of something that shows in no address, let it signal:',
      ],
      code: `(window.acequia ||= []).push(['signal', 'seats-chosen', { seats: 2 }])`,
    },
    {
      id: 'csp',
      title: 'A site with a Content-Security-Policy',
      steps: [
        'Add these sources to the directives that the site already sends; keep what stands there.',
        'With nonces, give the loader’s line the page’s nonce too: what channels load through it carries the same nonce.',
      ],
      code: cspDirectives(origin, scriptHosts).join('\n'),
    },
  ]
}

/** Everything whoever keeps the site needs to know, as a text to send. */
export function installationText(site: string, origin: string, key: string, scriptHosts: readonly string[]): string {
  return `Acequia: the loader of ${site}

Please put this one line into the <head> of every page, best in the template
that all pages share, once, exactly as it stands:

${snippetOf(origin, key)}

It loads without holding up the page, and does nothing when it fails.

If the site sends a Content-Security-Policy, it needs:
${cspDirectives(origin, scriptHosts)
  .map((each) => '  ' + each)
  .join('\n')}

If the site has pages for visitors without scripts, this counts them there:
${noscriptOf(origin, key)}
`
}
