import { defineStore } from 'pinia'
import { ref } from 'vue'
import { api } from './api'

/** Who is signed in. */
export interface Person {
  name: string
  email: string | null
}

/** The session of the person at this screen. */
export const useSession = defineStore('session', () => {
  const person = ref<Person | null>(null)
  /** Whether nobody exists yet, so that the first visitor becomes the owner. */
  const needsOwner = ref(false)
  let asked: Promise<void> | undefined

  /** Finds out once who is signed in. */
  function ready(): Promise<void> {
    return (asked ??= refresh())
  }

  async function refresh(): Promise<void> {
    const answer = await api<{ person: Person | null; needsOwner: boolean }>('GET', '/session')
    person.value = answer.person
    needsOwner.value = answer.needsOwner
  }

  async function signIn(email: string, password: string): Promise<void> {
    await api('POST', '/session', { email, password })
    await refresh()
  }

  async function createOwner(owner: { name: string; email: string; password: string }): Promise<void> {
    await api('POST', '/owner', owner)
    await refresh()
  }

  async function signOut(): Promise<void> {
    await api('DELETE', '/session')
    person.value = null
  }

  return { person, needsOwner, ready, refresh, signIn, createOwner, signOut }
})
