import type { SiteSettings } from '@acequia/core/sites/siteSchema'
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api } from '../app/api'

/** A site as the API gives it. */
export type SiteAnswer = SiteSettings & { key: string; revision: number; createdAt: string; role: 'reader' | 'editor' | 'publisher' | 'owner' }

/** How far a site has come, for the line of stations. */
export interface Progress {
  events: boolean
  /** The day of the first event; null without any. */
  firstDay: string | null
  channels: number
  tags: number
  release: number | null
  goals: number
  draftDiffers: number
}

/** The sites of this person, and the one on screen. */
export const useCurrentSite = defineStore('currentSite', () => {
  const sites = ref<SiteAnswer[]>([])
  const key = ref('')
  const progress = ref<Progress | null>(null)
  const site = computed(() => sites.value.find((each) => each.key === key.value))
  /** Where the API keeps what belongs to this site. */
  const path = computed(() => `/sites/${key.value}`)

  /** Loads the list of sites. */
  async function load(): Promise<void> {
    sites.value = await api<SiteAnswer[]>('GET', '/sites')
  }

  /** Puts a site on screen. @returns whether there is one with this key */
  async function open(wanted: string): Promise<boolean> {
    if (!sites.value.some((each) => each.key === wanted)) await load()
    if (!sites.value.some((each) => each.key === wanted)) return false
    if (key.value !== wanted) progress.value = null
    key.value = wanted
    localStorage.setItem('acequia.lastSite', wanted)
    void refreshProgress()
    return true
  }

  /** Looks again how far the site has come. */
  async function refreshProgress(): Promise<void> {
    const asked = key.value
    const answer = await api<Progress>('GET', `/sites/${asked}/progress`).catch(() => null)
    if (answer && asked === key.value) progress.value = answer
  }

  return { sites, key, site, path, progress, load, open, refreshProgress }
})
