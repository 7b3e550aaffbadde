/**
 * SHA-256 (FIPS 180-4) of a text's UTF-8, as 64 hexadecimal digits. Browsers only hash later and
 * only on secure pages; a reading needs its text now and everywhere. Short, because pages carry it.
 */
export function sha256(text: string): string {
  const turn = (word: number, by: number): number => (word >>> by) | (word << (32 - by))
  // The standard's constants: the first 32 bits of the fractional parts of roots of the first primes.
  const roots: number[] = []
  let hash: number[] = []
  for (let prime = 2, divisor; roots.length < 64; prime++) {
    for (divisor = 2; prime % divisor; divisor++);
    if (divisor < prime) continue
    if (hash.length < 8) hash.push((prime ** 0.5 * 2 ** 32) | 0)
    roots.push((prime ** (1 / 3) * 2 ** 32) | 0)
  }
  const bytes = [...new TextEncoder().encode(text), 128]
  const blocks: number[] = []
  for (let i = 0; i < bytes.length; i++) blocks[i >> 2] = (blocks[i >> 2] ?? 0) | ((bytes[i] as number) << (24 - (i % 4) * 8))
  blocks[(((bytes.length + 7) >> 6) << 4) + 15] = (bytes.length - 1) * 8
  for (let at = 0; at < blocks.length; at += 16) {
    const words = blocks.slice(at, at + 16)
    let state = hash
    for (let i = 0; i < 64; i++) {
      const word = (back: number): number => words[i - back] ?? 0
      const early = word(15)
      const late = word(2)
      if (i > 15) words[i] = (word(16) + word(7) + (turn(early, 7) ^ turn(early, 18) ^ (early >>> 3)) + (turn(late, 17) ^ turn(late, 19) ^ (late >>> 10))) | 0
      const [a, b, c, d, e, f, g, h] = state as [number, number, number, number, number, number, number, number]
      const one = h + (turn(e, 6) ^ turn(e, 11) ^ turn(e, 25)) + ((e & f) ^ (~e & g)) + (roots[i] as number) + word(0)
      const two = (turn(a, 2) ^ turn(a, 13) ^ turn(a, 22)) + ((a & b) ^ (a & c) ^ (b & c))
      state = [(one + two) | 0, a, b, c, (d + one) | 0, e, f, g]
    }
    hash = hash.map((each, i) => (each + (state[i] as number)) | 0)
  }
  return hash.map((each) => (each >>> 0).toString(16).padStart(8, '0')).join('')
}
