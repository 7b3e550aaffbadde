<script setup lang="ts">
import { hostIsListed } from '@acequia/core/sites/hosts'
import { ref } from 'vue'
import { api } from '../app/api'
import { agoText, count, timeText } from '../app/formatting'
import { useLive } from '../app/live'
import { useLoaded } from '../app/useLoaded'
import { useCurrentSite } from './currentSite'

/** When the last event came, by host: the first thing to look at after the loader was put on the pages. */
const current = useCurrentSite()
const live = useLive()
const now = ref(Date.now())
const { data, error } = useLoaded<{ host: string; last: string; events: number }[]>(
  async (signal) => {
    const answer = await api<{ host: string; last: string; events: number }[]>('GET', `${current.path}/arrivals`, undefined, signal)
    now.value = Date.now()
    return answer
  },
  [() => live.changes],
  500,
)
</script>

<template>
  <section>
    <h2>What arrives</h2>
    <p v-if="error" class="problem" role="alert">{{ error }}</p>
    <table v-if="data?.length" class="figures">
      <thead>
        <tr>
          <th>Host</th>
          <th>Last event</th>
          <th class="number" title="All events ever recorded">Events</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in data" :key="row.host">
          <td>
            <code>{{ row.host }}</code>
            <p v-if="!hostIsListed(row.host, current.site?.hosts ?? [])" class="hint">not one of the site's hosts; came by import</p>
          </td>
          <td :title="timeText(row.last, current.site?.timeZone ?? 'UTC', { dateStyle: 'medium', timeStyle: 'medium' })">{{ agoText(row.last, now) }}</td>
          <td class="number">{{ count(row.events) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-else-if="data" class="hint">
      Nothing yet. Put the loader on a page and open it; it shows here within about a second. If it does not: is the page's host among the hosts of this site?
    </p>
  </section>
</template>
