<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { messageOf } from '../app/api'
import { useCurrentSite } from './currentSite'

/** Leads to the site seen last, or to the first step where there is none. */
const router = useRouter()
const current = useCurrentSite()
const error = ref('')

current
  .load()
  .then(() => {
    const last = current.sites.find((site) => site.key === localStorage.getItem('acequia.lastSite')) ?? current.sites[0]
    return router.replace(last ? { name: 'today', params: { key: last.key } } : { name: 'new-site' })
  })
  .catch((cause: unknown) => (error.value = messageOf(cause)))
</script>

<template>
  <main class="screen">
    <p v-if="error" class="problem" role="alert">{{ error }}</p>
  </main>
</template>
