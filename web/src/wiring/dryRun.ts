import type { DryRunResult } from '@acequia/core/dryRun/DryRun'
import type { Unjudged } from '@acequia/core/dryRun/unjudged'
import { ApiProblem } from '../app/api'

/** The answer of a dry run. */
export type DryRunAnswer = DryRunResult & { unjudged: Unjudged[]; live: number | null }

/**
 * Runs the draft over recorded events.
 * @param path of the site in the API
 * @param told is told the share that is done, from 0 to 1
 * @throws ApiProblem when the server refuses or breaks off
 */
export async function dryRun(path: string, range: { from: string; to: string }, told: (share: number) => void, signal: AbortSignal): Promise<DryRunAnswer> {
  const answer = await fetch(`/api/v1${path}/wiring:dry-run`, {
    method: 'POST',
    signal,
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(range),
  })
  if (!answer.ok || !answer.body) {
    const problem = (await answer.json().catch(() => ({}))) as { detail?: string }
    throw new ApiProblem(answer.status, problem.detail ?? `The server answered ${answer.status}.`, [], {})
  }
  const reader = answer.body.pipeThrough(new TextDecoderStream()).getReader()
  let text = ''
  for (;;) {
    const { done, value } = await reader.read()
    if (done) throw new ApiProblem(0, 'The dry run broke off before its end. Try it again.', [], {})
    text += value
    const lines = text.split('\n')
    text = lines.pop() ?? ''
    for (const line of lines) {
      const { progress, result } = JSON.parse(line) as { progress?: number; result?: DryRunAnswer }
      if (progress !== undefined) told(progress)
      if (result) return result
    }
  }
}
