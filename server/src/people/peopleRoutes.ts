import * as z from 'zod'
import { knownRoute, openRoute, type Route } from '../api/Route.js'
import type { People } from './People.js'

const email = z.string().trim().max(255).pipe(z.email('This is no e-mail address.'))

/** Sign-in and the first owner. */
export function peopleRoutes(people: People): Route[] {
  return [
    openRoute({
      method: 'get',
      path: '/session',
      summary: 'Who is signed in, and whether the first owner is still to be created',
      handle: async ({ request }) => ({ person: await people.whoAsks(request), needsOwner: await people.isEmpty() }),
    }),
    openRoute({
      method: 'post',
      path: '/session',
      summary: 'Sign in',
      body: z.object({ email: z.string().max(255), password: z.string().max(1000) }),
      handle: ({ body, request, response }) => people.signIn(body.email, body.password, request, response),
    }),
    openRoute({
      method: 'post',
      path: '/owner',
      summary: 'Create the first owner, on the first visit only',
      body: z.object({
        name: z.string().trim().min(1, 'What is your name?').max(200),
        email,
        password: z.string().min(10, 'Take at least 10 characters.').max(1000),
      }),
      handle: async ({ body, request, response }) => {
        const id = await people.createFirst(body)
        await people.openSession(id, request, response)
      },
    }),
    knownRoute({ method: 'delete', path: '/session', summary: 'Sign out', handle: ({ request, response }) => people.signOut(request, response) }),
  ]
}
