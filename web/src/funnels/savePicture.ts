import { download } from '../app/download'

/** A picture with its looks written into it, so that it is the same elsewhere. */
function withLooks(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement
  const originals = [svg, ...svg.querySelectorAll<SVGElement>('*')]
  const copies = [copy, ...copy.querySelectorAll<SVGElement>('*')]
  for (const [index, original] of originals.entries()) {
    const style = getComputedStyle(original)
    copies[index]?.setAttribute('style', ['fill', 'opacity', 'font', 'text-anchor'].map((name) => `${name}:${style.getPropertyValue(name)}`).join(';'))
    for (const name of ['class', 'tabindex', 'role', 'data-v-inspector']) copies[index]?.removeAttribute(name)
  }
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg')
  return new XMLSerializer().serializeToString(copy)
}

/** Saves a picture as SVG. */
export function saveSvg(svg: SVGSVGElement, name: string): void {
  download(new Blob([withLooks(svg)], { type: 'image/svg+xml' }), `${name}.svg`)
}

/** Saves a picture as PNG, twice as fine as on screen, on the ground of the page. */
export async function savePng(svg: SVGSVGElement, name: string): Promise<void> {
  const { width, height } = svg.getBoundingClientRect()
  const image = new Image()
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(withLooks(svg))}`
  await image.decode()
  const canvas = document.createElement('canvas')
  canvas.width = width * 2
  canvas.height = height * 2
  const context = canvas.getContext('2d')
  if (!context) return
  context.fillStyle = getComputedStyle(document.body).backgroundColor
  context.fillRect(0, 0, canvas.width, canvas.height)
  context.drawImage(image, 0, 0, canvas.width, canvas.height)
  const blob = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve))
  if (blob) download(blob, `${name}.png`)
}
