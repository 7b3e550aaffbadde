<script setup lang="ts">
import type { SiteSettings } from '@acequia/core/sites/siteSchema'
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ApiProblem, messageOf } from '../app/api'
import AcequiaMark from '../frame/AcequiaMark.vue'
import { useCurrentSite } from './currentSite'
import SiteFields from './SiteFields.vue'

/** Adds a site. */
const router = useRouter()
const current = useCurrentSite()
const settings = ref<SiteSettings>({
  name: '',
  hosts: [],
  timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
  currency: 'EUR',
  rates: {},
  sourceRules: [],
  passThroughHosts: [],
  clickIds: [],
  pageChanges: { query: false, fragment: false },
  consent: 'not-needed',
  scriptHosts: [],
  surveyNightly: false,
  keepMonths: null,
})
const problem = ref('')
const wrong = ref<Record<string, string>>({})

async function add(): Promise<void> {
  problem.value = ''
  wrong.value = {}
  try {
    const { key } = await api<{ key: string }>('POST', '/sites', settings.value)
    await current.load()
    await router.push({ name: 'site', params: { key } })
  } catch (error) {
    problem.value = messageOf(error)
    if (error instanceof ApiProblem) for (const each of error.errors) wrong.value[each.path] = each.message
  }
}
</script>

<template>
  <main class="new-site">
    <AcequiaMark />
    <h1>{{ current.sites.length ? 'Another site' : 'Which site shall be measured?' }}</h1>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <form @submit.prevent="add">
      <SiteFields :settings="settings" :wrong="wrong" @change="settings = $event" />
      <button class="main-action">Add the site</button>
      <RouterLink v-if="current.sites.length" class="button" to="/">Cancel</RouterLink>
    </form>
  </main>
</template>

<style scoped>
.new-site {
  max-width: 480px;
  margin: 8vh auto 40px;
  padding: 0 20px;
}
h1 {
  margin: 24px 0 18px;
}
form > .button {
  margin-left: 10px;
}
</style>
