import type { Request, Response } from 'express'
import type * as z from 'zod'
import type { Site } from '../sites/sitesTable.js'

/** Roles on a site, each including those before it. */
export const ROLES = ['reader', 'editor', 'publisher', 'owner'] as const
/** A role on a site. */
export type Role = (typeof ROLES)[number]

/** Who is asking. */
export interface Actor {
  /** null for an API token. */
  personId: number | null
  name: string
  email: string | null
}

/** What a route's handler gets. Body and query are checked. */
export interface Call<Body, Query> {
  body: Body
  query: Query
  /** Named parts of the path, decoded. */
  params: Record<string, string>
  /** For streaming in. */
  request: Request
  /** For streaming out, cookies, other content types. */
  response: Response
}

/** A call of somebody who signed in. */
export interface KnownCall<Body, Query> extends Call<Body, Query> {
  actor: Actor
}

/** A call about a site on which the caller has the route's role. */
export interface SiteCall<Body, Query> extends KnownCall<Body, Query> {
  site: Site
}

/**
 * One route of the API. The list of all of them is the only place that says which role may call
 * what; router, access check and OpenAPI follow from it.
 */
export interface Route {
  method: 'get' | 'post' | 'put' | 'delete'
  /** With `{name}` for what varies; `{key}` is always a site's key. */
  path: string
  /** In the words of the product, for the API's description. */
  summary: string
  /** `anyone`, `signed-in`, or the role needed on the site of `{key}`. */
  access: 'anyone' | 'signed-in' | Role
  body?: z.ZodType
  query?: z.ZodType
  /** Content type of a body that the handler reads itself. */
  streams?: string
  /** Status of a good answer; 200 if not given. */
  status?: number
  /** @returns the JSON answer, or undefined when the handler answered itself */
  handle: (call: SiteCall<never, never>) => Promise<unknown>
}

type Output<T> = T extends z.ZodType ? z.output<T> : undefined

interface RouteOptions<Body extends z.ZodType | undefined, Query extends z.ZodType | undefined, C> extends Omit<Route, 'handle' | 'body' | 'query' | 'access'> {
  body?: Body
  query?: Query
  handle: (call: C) => Promise<unknown>
}

/** A route for anyone, signed in or not. */
export function openRoute<B extends z.ZodType | undefined = undefined, Q extends z.ZodType | undefined = undefined>(
  options: RouteOptions<B, Q, Call<Output<B>, Output<Q>>>,
): Route {
  return { ...options, access: 'anyone' } as Route
}

/** A route for whoever signed in. */
export function knownRoute<B extends z.ZodType | undefined = undefined, Q extends z.ZodType | undefined = undefined>(
  options: RouteOptions<B, Q, KnownCall<Output<B>, Output<Q>>>,
): Route {
  return { ...options, access: 'signed-in' } as Route
}

/** A route about a site, for whoever has at least this role there. */
export function siteRoute<B extends z.ZodType | undefined = undefined, Q extends z.ZodType | undefined = undefined>(
  access: Role,
  options: RouteOptions<B, Q, SiteCall<Output<B>, Output<Q>>>,
): Route {
  return { ...options, access } as Route
}
