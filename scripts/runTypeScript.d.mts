/** How Node runs our programs. */
export const NODE_FLAGS: string[]
/** Runs a TypeScript program of ours as a child, passing signals on, and ends with its exit code. */
export function runTypeScript(file: string, args: string[]): void
