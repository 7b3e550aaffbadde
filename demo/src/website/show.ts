import type { Response } from 'express'
import type { Page } from './layout.js'

/** Answers with a page of the website; `path` decides whether the loader is on it. */
export type Show = (response: Response, path: string, page: Omit<Page, 'loader'>, status?: number) => void
