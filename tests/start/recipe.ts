/** A channel with a call that tells of page views and one that tells of events. */
export const RECIPE = {
  recipe: 1,
  id: 'farola-search',
  name: 'Farola Search',
  ids: [{ name: 'account', label: 'Lantern number', pattern: '^LN-[0-9]{6}$', example: 'LN-204518' }],
  calls: {
    base: { label: 'Base', steps: [{ image: 'https://farola.example/base.gif?a={id.account}' }] },
    event: { label: 'Event', needs: ['event'], steps: [{ queue: 'farola', push: ['told', '{event}'] }] },
  },
}
