import * as z from 'zod'
import type { Route } from './Route.js'

/** The description of the whole API as OpenAPI 3.1, made from the routes themselves. */
export function openApi(routes: readonly Route[], publicUrl: string): Record<string, unknown> {
  const paths: Record<string, Record<string, unknown>> = {}
  for (const route of routes) {
    const parameters = [
      ...[...route.path.matchAll(/\{(\w+)\}/g)].map((found) => ({ name: found[1], in: 'path', required: true, schema: { type: 'string' } })),
      ...queryParameters(route.query),
    ]
    const content = route.streams
      ? { [route.streams]: { schema: { type: 'string' } } }
      : route.body && { 'application/json': { schema: jsonSchema(route.body) } }
    const path = '/api/v1' + route.path
    paths[path] = {
      ...paths[path],
      [route.method]: {
        summary: route.summary,
        description:
          route.access === 'anyone' ? 'Open to anyone.' : route.access === 'signed-in' ? 'For whoever signed in.' : `For the role ${route.access} on the site.`,
        ...(parameters.length && { parameters }),
        ...(content && { requestBody: { required: true, content } }),
        responses: {
          [route.status ?? 200]: { description: 'Done.' },
          default: { description: 'A problem (RFC 9457).', content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } } },
        },
        security: route.access === 'anyone' ? [] : [{ token: [] }, { session: [] }],
      },
    }
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Acequia',
      version: '1',
      description: 'Times are ISO 8601 UTC; days are days in the site’s time zone; `from` is included, `to` is not.',
      license: { name: 'MIT', identifier: 'MIT' },
    },
    servers: [{ url: publicUrl }],
    paths,
    components: {
      securitySchemes: { token: { type: 'http', scheme: 'bearer' }, session: { type: 'apiKey', in: 'cookie', name: 'acequia_session' } },
      schemas: {
        Problem: {
          type: 'object',
          required: ['type', 'title', 'status', 'detail'],
          properties: {
            type: { type: 'string' },
            title: { type: 'string' },
            status: { type: 'integer' },
            detail: { type: 'string' },
            errors: { type: 'array', items: { type: 'object', properties: { path: { type: 'string' }, message: { type: 'string' } } } },
          },
        },
      },
    },
  }
}

function jsonSchema(schema: z.ZodType): unknown {
  const { $schema: _, ...rest } = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' }) as Record<string, unknown>
  return rest
}

function queryParameters(schema: Route['query']): object[] {
  if (!schema) return []
  const { properties = {}, required = [] } = jsonSchema(schema) as { properties?: Record<string, unknown>; required?: string[] }
  return Object.entries(properties).map(([name, each]) => ({ name, in: 'query', required: required.includes(name), schema: each }))
}
