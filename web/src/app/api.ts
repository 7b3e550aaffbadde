/** An error the server answered, in words that can be shown. */
export class ApiProblem extends Error {
  constructor(
    readonly status: number,
    detail: string,
    /** Fields that are wrong, for input errors. */
    readonly errors: { path: string; message: string }[],
    /** The whole answer, for what goes beyond. */
    readonly body: Record<string, unknown>,
  ) {
    super(detail)
  }
}

const listeners = new Set<() => void>()

/** Calls back when an answer says that the session has ended. */
export function onSignedOut(listener: () => void): void {
  listeners.add(listener)
}

/**
 * Calls the API. Paths are below `/api/v1`.
 * @throws ApiProblem when the server refuses; with status 0 when it cannot be reached
 */
export async function api<T>(method: 'GET' | 'POST' | 'PUT' | 'DELETE', path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
  let answer: Response
  try {
    answer = await fetch(`/api/v1${path}`, {
      method,
      credentials: 'same-origin',
      signal: signal ?? null,
      ...(body !== undefined && { headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }),
    })
  } catch (error) {
    if (signal?.aborted) throw error
    throw new ApiProblem(0, 'The server cannot be reached. What you entered is still here; try again in a moment.', [], {})
  }
  const text = await answer.text()
  const json = text && /json/.test(answer.headers.get('content-type') ?? '') ? (JSON.parse(text) as Record<string, unknown>) : {}
  if (answer.ok) return json as T
  if (answer.status === 401) for (const listener of listeners) listener()
  throw new ApiProblem(
    answer.status,
    String(json.detail ?? `The server answered ${answer.status}.`),
    (json.errors as { path: string; message: string }[] | undefined) ?? [],
    json,
  )
}

/** Words for whatever was thrown. */
export function messageOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}
