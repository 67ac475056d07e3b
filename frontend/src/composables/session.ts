/** Who is signed in. */
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { ApiError, client, data, setToken } from '@/api/client'
import type { Me, Permission, ProblemDocument } from '@/api/types'
import { draftsOf } from './drafts'
import { photosOf } from './heldPhotos'
import { outboxOf } from './outbox'

export const useSession = defineStore('session', () => {
  const me = ref<Me | null>(null)
  const trouble = ref<ProblemDocument | null>(null)

  function take(value: Me): void {
    me.value = value
    trouble.value = null
    setToken(value.csrf_token)
    draftsOf(value.login)
    outboxOf(value.login)
    void photosOf(value.login)
  }

  /** What the account is allowed, as the server's table has it. */
  const may = (permission: Permission): boolean => me.value?.may.includes(permission) ?? false

  /** Asks the server once who we are; a server that is away is told on the page, not here. */
  async function ensure(): Promise<void> {
    if (me.value) return
    await refresh()
  }

  async function refresh(): Promise<void> {
    try {
      take(await data(client.GET('/api/session')))
    } catch (error) {
      if (error instanceof ApiError) trouble.value = error.problem
    }
  }

  async function signIn(login: string, password: string): Promise<void> {
    take(await data(client.POST('/api/session', { body: { login, password } })))
    await refresh()
  }

  /** Changes one's own password; the server starts a new session for this browser. */
  async function changePassword(password: string, fresh: string): Promise<void> {
    take(await data(client.PUT('/api/session/password', { body: { password, new_password: fresh } })))
    await refresh()
  }

  async function signOut(): Promise<void> {
    await data(client.DELETE('/api/session'))
    me.value = null
    await refresh()
  }

  return {
    me,
    trouble,
    known: computed(() => me.value !== null),
    signedIn: computed(() => me.value?.signed_in === true),
    may,
    mayWrite: computed(() => may('work')),
    ensure,
    refresh,
    signIn,
    signOut,
    changePassword,
  }
})
