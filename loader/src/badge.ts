import { quietly } from './quietly.js'
import { load, save } from './storage.js'

const LOOK =
  'all:initial;position:fixed;z-index:2147483647;right:16px;bottom:16px;padding:6px 10px;border-radius:6px;background:#22302f;color:#fbf8f2;font:13px/1.4 system-ui,sans-serif;cursor:grab;user-select:none'
const BUTTON = 'all:unset;cursor:pointer;margin-left:10px;text-decoration:underline;color:inherit'

/** Says on the page that it runs a rehearsal. It can be dragged, folded, and ends the rehearsal. */
export const showBadge = quietly((): void => {
  const badge = document.createElement('div')
  badge.style.cssText = LOOK
  badge.setAttribute('role', 'status')
  badge.setAttribute('data-acequia', '')
  const words = document.createElement('span')
  const folded = (): boolean => !!load<boolean>('folded', sessionStorage)
  const button = (label: string, act: () => void): HTMLButtonElement => {
    const element = document.createElement('button')
    element.style.cssText = BUTTON
    element.textContent = label
    element.addEventListener('click', act)
    return element
  }
  const fold = button('Fold', () => {
    save('folded', !folded(), sessionStorage)
    draw()
  })
  const end = button('End', () => {
    sessionStorage.removeItem('acequia.probe')
    location.reload()
  })
  const draw = (): void => {
    words.textContent = folded() ? '≈' : 'Rehearsal of the draft: nothing here counts'
    fold.textContent = folded() ? 'Unfold' : 'Fold'
    end.hidden = folded()
    end.style.display = folded() ? 'none' : ''
  }
  badge.append(words, fold, end)
  badge.addEventListener('pointerdown', (down) => {
    if ((down.target as Element).tagName === 'BUTTON') return
    badge.setPointerCapture(down.pointerId)
    const { right, bottom } = badge.getBoundingClientRect()
    const [x, y] = [innerWidth - right + down.clientX, innerHeight - bottom + down.clientY]
    badge.onpointermove = (move) => {
      badge.style.right = `${Math.max(0, x - move.clientX)}px`
      badge.style.bottom = `${Math.max(0, y - move.clientY)}px`
    }
  })
  badge.addEventListener('pointerup', () => (badge.onpointermove = null))
  draw()
  document.documentElement.append(badge)
})
