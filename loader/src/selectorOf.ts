import { finder } from '@medv/finder'

/** A selector that lasts: ids and names people gave, no positions or generated classes where it can be helped. */
export function selectorOf(element: Element): string {
  const lasting = (name: string): boolean => !/\d{3,}|[0-9a-f]{6,}|^(css|sc|jsx|ng|v|_)[-_]/i.test(name) && name.length < 40
  try {
    return finder(element, {
      idName: lasting,
      className: lasting,
      tagName: () => true,
      attr: (name) => /^(name|data-(test|testid|cy|id|name)|aria-label|role)$/.test(name),
    })
  } catch {
    return element.id ? `#${CSS.escape(element.id)}` : element.tagName.toLowerCase()
  }
}
