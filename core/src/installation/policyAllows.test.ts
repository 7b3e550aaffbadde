import { expect, it } from 'vitest'
import { policyAllows } from './policyAllows.js'

it.each<[policy: string, allows: boolean]>([
  ["default-src 'self'", false],
  ["default-src 'self'; script-src 'self' https://acequia.example", true],
  ['script-src acequia.example', true],
  ['script-src *.example', true],
  ['script-src https:', true],
  ["script-src 'nonce-abc'", true],
  ['script-src http://acequia.example', false],
  ["script-src *; , default-src 'none'", false],
  ['img-src *', true],
])('%s lets the loader in: %s', (policy, allows) => expect(policyAllows(policy, 'https://acequia.example')).toBe(allows))
