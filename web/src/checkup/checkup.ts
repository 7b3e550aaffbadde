import { CLAIM_SHARE } from '@acequia/core/checkup/Check'
import type { Finding } from '@acequia/core/checkup/Finding'
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, messageOf } from '../app/api'

/** A finding as the API gives it. */
export type FindingAnswer = Finding & { accepted: { reason: string; by: string; at: string } | null }

/** Changes within this time are checked together, in ms. */
const GATHER_MS = 1500

/** The latest checkup of the site on screen: for its screen, and for the mark at its station. */
export const useCheckup = defineStore('checkup', () => {
  const findings = ref<FindingAnswer[]>()
  const error = ref('')
  /** From which difference on a channel's own figure is told of, as a share of ours. */
  const claimShare = ref(Number(localStorage.getItem('acequia.claimShare') ?? CLAIM_SHARE))
  let key = ''
  let timer: ReturnType<typeof setTimeout> | undefined
  const open = computed(() => findings.value?.filter((each) => !each.accepted) ?? [])
  /** What needs attention: more than worth knowing, and not accepted. */
  const pressing = computed(() => open.value.filter((each) => each.weight !== 'notice').length)

  /** Checks a site now. */
  async function check(wanted: string): Promise<void> {
    clearTimeout(timer)
    if (key !== wanted) findings.value = undefined
    key = wanted
    try {
      const answer = await api<FindingAnswer[]>('GET', `/sites/${wanted}/checkup?claimShare=${claimShare.value}`)
      if (key === wanted) findings.value = answer
      error.value = ''
    } catch (cause) {
      error.value = messageOf(cause)
    }
  }

  /** Checks soon, once for everything that changes meanwhile. */
  function checkSoon(wanted: string): void {
    clearTimeout(timer)
    timer = setTimeout(() => void check(wanted), GATHER_MS)
  }

  return { claimShare, findings, error, open, pressing, check, checkSoon }
})
