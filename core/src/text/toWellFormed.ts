/** Replaces lone surrogates by U+FFFD, which is what UTF-8 storage would do silently anyway. */
export function toWellFormed(text: string): string {
  // Nearly no text has any, and this is asked of every text of every event.
  if (!/[\ud800-\udfff]/.test(text)) return text
  // Spelled out because the property is newer than the oldest library typings we compile against.
  return text.replace(/[\ud800-\udbff][\udc00-\udfff]|[\ud800-\udfff]/g, (found) => (found.length === 2 ? found : '\ufffd'))
}
