import { ref, watchEffect } from 'vue'

type Theme = 'system' | 'light' | 'dark'

const dark = matchMedia('(prefers-color-scheme: dark)')

/** The theme this person chose; `system` follows the device. */
export const theme = ref<Theme>((localStorage.getItem('acequia.theme') as Theme | null) ?? 'system')

function apply(): void {
  document.documentElement.dataset.theme = theme.value === 'dark' || (theme.value === 'system' && dark.matches) ? 'dark' : 'light'
}

/** Puts the theme on the page, now and when it changes. */
export function useTheme(): void {
  watchEffect(() => {
    localStorage.setItem('acequia.theme', theme.value)
    apply()
  })
  dark.addEventListener('change', apply)
}
