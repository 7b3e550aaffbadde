/** Hands a file over to the person. */
export function download(content: Blob | string, name: string, type = 'text/plain'): void {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(typeof content === 'string' ? new Blob([content], { type }) : content)
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 1000)
}
