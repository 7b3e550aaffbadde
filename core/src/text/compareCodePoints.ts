/**
 * Orders two texts by Unicode code point, as the database does in binary collation.
 * JavaScript's own `<` compares UTF-16 units and so puts astral characters before U+E000..U+FFFF.
 * @returns negative, zero or positive, as `Array.prototype.sort` wants it
 */
export function compareCodePoints(a: string, b: string): number {
  const length = Math.min(a.length, b.length)
  for (let i = 0; i < length; i++) {
    const x = a.charCodeAt(i)
    const y = b.charCodeAt(i)
    if (x !== y) return weight(x) - weight(y)
  }
  return a.length - b.length
}

/** Lifts surrogates above the rest of the basic plane, which is where their code points belong. */
function weight(unit: number): number {
  return unit >= 0xd800 && unit <= 0xdfff ? unit + 0x10000 : unit
}
