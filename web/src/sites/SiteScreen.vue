<script setup lang="ts">
import { useCurrentSite } from './currentSite'
import ArrivalList from './ArrivalList.vue'
import InstallGuides from './InstallGuides.vue'
import LoaderSnippet from './LoaderSnippet.vue'
import SurveyPanel from './SurveyPanel.vue'
import TestVisit from './TestVisit.vue'

/** Getting the loader onto every page, and seeing that it is there. */
const current = useCurrentSite()
</script>

<template>
  <div class="with-evidence">
    <div class="screen">
      <div class="screen-head">
        <h1>Site</h1>
        <RouterLink class="button" :to="{ name: 'relays', params: { key: current.key } }">Relay links</RouterLink>
        <RouterLink class="button" :to="{ name: 'site-settings', params: { key: current.key } }">Settings</RouterLink>
      </div>
      <LoaderSnippet />
      <InstallGuides />
      <SurveyPanel />
    </div>
    <aside class="evidence" aria-label="What arrives">
      <ArrivalList />
      <TestVisit />
    </aside>
  </div>
</template>
