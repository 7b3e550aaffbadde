<script setup lang="ts">
import { calendarOf } from '@acequia/core/days/zone'
import { computed, onBeforeUnmount, ref } from 'vue'
import { api } from '../app/api'
import { changeFrom, count, locale, money, rate, timeText } from '../app/formatting'
import { useLive } from '../app/live'
import { useRange } from '../app/range'
import { useLoaded } from '../app/useLoaded'
import SeriesChart from '../charts/SeriesChart.vue'
import SparkLine from '../charts/SparkLine.vue'
import type { Overview } from '../goals/goalAnswer'
import { useCurrentSite } from '../sites/currentSite'
import DataTable from '../tables/DataTable.vue'
import type { Column } from '../tables/tableRows'

/** What the site brought in the days in view, and what is coming in right now. */
const current = useCurrentSite()
const range = useRange()
const live = useLive()
const currency = computed(() => current.site?.currency ?? 'EUR')
const zone = computed(() => current.site?.timeZone ?? 'UTC')
const now = ref(Date.now())
const clock = setInterval(() => (now.value = Date.now()), 10_000)
onBeforeUnmount(() => clearInterval(clock))

const { data, error } = useLoaded<Overview>(
  (signal) => api('GET', `${current.path}/overview?${range.query}`, undefined, signal),
  [() => range.query, () => live.changes],
  300,
)

const title = computed(() => new Intl.DateTimeFormat(locale, { weekday: 'long', hour: '2-digit', minute: '2-digit', timeZone: zone.value }).format(now.value))
const conversions = computed(() => data.value?.goals.reduce((sum, goal) => sum + goal.conversions, 0) ?? 0)
const value = computed(() => data.value?.goals.reduce((sum, goal) => sum + goal.value, 0) ?? 0)
const lead = computed(() => data.value?.goals[0])
const days = computed(() => data.value?.daily.map((each) => each.day) ?? [])
const series = computed(() => [
  { name: 'visits', area: true, values: data.value?.daily.map((each) => each.visits) ?? [] },
  ...(lead.value ? [{ name: lead.value.name, values: lead.value.daily.map((each) => each.conversions) }] : []),
])
const dayMarks = computed(
  () => data.value?.releases.map((release) => ({ label: `release ${release.number}`, day: calendarOf(zone.value).dayOf(Date.parse(release.at)) })) ?? [],
)

const columns = computed<Column[]>(() => [
  { key: 'name', name: 'Goal' },
  { key: 'category', name: 'For' },
  { key: 'conversions', name: 'Count', number: true, show: (each) => count(each as number), title: 'Conversions in the days in view' },
  {
    key: 'value',
    name: 'Value',
    number: true,
    show: (each) => (each ? money(each as number, currency.value) : '–'),
    title: "Their values added up, in the site's currency",
  },
  {
    key: 'rate',
    name: 'Rate',
    number: true,
    show: (each) => rate(each as number | null),
    title: 'Visits that began in these days and have a conversion, by all visits that began in them',
  },
  { key: 'change', name: 'Before', number: true, title: 'Count against as many days before' },
  { key: 'trend', name: 'Trend' },
])
const rows = computed(() =>
  (data.value?.goals ?? []).map((goal) => ({
    ...goal,
    change: changeFrom(goal.before.conversions, goal.conversions),
    fell: goal.conversions < goal.before.conversions,
    trend: '',
    values: goal.daily.map((day) => day.conversions),
  })),
)

/** The last conversions: those of the overview, with what came over the live stream since. */
const latest = computed(() => {
  const seen = new Set<string>()
  return [...live.latest, ...(data.value?.latest ?? [])]
    .filter((each) => each.goalName && !seen.has(each.goal + each.uid) && seen.add(each.goal + each.uid))
    .sort((a, b) => (a.at < b.at ? 1 : -1))
    .slice(0, 12)
})
const clockText = (at: string): string => {
  const today = timeText(at, zone.value, { dateStyle: 'short' }) === timeText(new Date(now.value).toISOString(), zone.value, { dateStyle: 'short' })
  return timeText(at, zone.value, today ? { timeStyle: 'medium' } : { day: 'numeric', month: 'short' })
}
</script>

<template>
  <div class="with-evidence">
    <div class="screen">
      <div class="screen-head today">
        <h1>{{ title }}</h1>
        <template v-if="data">
          <span :title="`Visits that began in these days; ${count(data.visitsBefore)} in as many days before`"
            ><strong>{{ count(data.visits) }}</strong> visits</span
          >
          <span title="Conversions of all goals"
            ><strong>{{ count(conversions) }}</strong> conversions</span
          >
          <span title="Values of all conversions, in the site's currency"
            ><strong>{{ money(value, currency) }}</strong> value</span
          >
        </template>
      </div>
      <p v-if="error" class="problem" role="alert">{{ error }}</p>
      <div v-if="data && !data.visits && current.progress && !current.progress.events" class="empty">
        <h2>Nothing has come in yet</h2>
        <p>Put the loader on the pages of your site. The first visit shows here about a second after it happened.</p>
        <RouterLink class="button main-action" :to="{ name: 'site', params: { key: current.key } }">Get the loader</RouterLink>
      </div>
      <template v-else-if="data">
        <SeriesChart :days="days" :series="series" :marks="dayMarks" name="Visits and conversions" :height="170" />
        <section class="goals">
          <div v-if="!data.goals.length" class="empty">
            <h2>Visits come in, but nothing is counted</h2>
            <p>Say what matters: the page people reach after booking, a form that was sent, time spent reading. It counts over everything recorded so far.</p>
            <RouterLink class="button main-action" :to="{ name: 'new-goal', params: { key: current.key } }">Make the first goal</RouterLink>
          </div>
          <DataTable v-else :columns="columns" :rows="rows" row-key="id" name="Goals">
            <template #cell-name="{ row }"
              ><RouterLink class="goal" :to="{ name: 'goal', params: { key: current.key, id: String(row.id) } }">{{ row.name }}</RouterLink></template
            >
            <template #cell-change="{ row }"
              ><span :class="{ fell: row.fell }">{{ row.change ?? '–' }}</span></template
            >
            <template #cell-trend="{ row }"><SparkLine :values="row.values as number[]" :label="`Trend of ${String(row.name)}`" /></template>
          </DataTable>
        </section>
      </template>
    </div>
    <aside class="evidence" aria-label="Coming in">
      <section v-if="current.progress?.draftDiffers">
        <h2>Needs you</h2>
        <p>
          {{ current.progress.draftDiffers }} {{ current.progress.draftDiffers === 1 ? 'change waits' : 'changes wait' }} in the draft.
          <RouterLink :to="{ name: 'new-release', params: { key: current.key } }">Look and release</RouterLink>
        </p>
      </section>
      <section>
        <h2>Coming in</h2>
        <ol v-if="latest.length" class="latest" aria-live="polite">
          <li v-for="each in latest" :key="each.goal + each.uid">
            <time class="mono" :datetime="each.at">{{ clockText(each.at) }}</time>
            <RouterLink :to="{ name: 'goal', params: { key: current.key, id: each.goal } }">{{ each.goalName }}</RouterLink>
            <span class="value">{{ each.value ? money(each.value, each.currency) : '' }}</span>
            <small>{{ each.source === 'direct' ? 'direct' : `${each.source} / ${each.campaign ?? each.medium}` }}</small>
          </li>
        </ol>
        <p v-else class="hint">Conversions show here the moment they are counted.</p>
      </section>
    </aside>
  </div>
</template>

<style scoped>
.today {
  align-items: baseline;
  gap: 6px 32px;
}
.today h1 {
  margin-right: 10px;
}
.today span {
  color: var(--ink-2);
  font-size: 15px;
}
.today strong {
  color: var(--ink);
}
.goals {
  margin-top: 22px;
}
.goal {
  font-weight: 700;
  color: var(--ink);
  text-decoration: none;
}
.goal:hover {
  text-decoration: underline;
}
.fell {
  color: var(--loss);
}
.latest {
  list-style: none;
  margin: 0;
  padding: 0;
}
.latest li {
  display: grid;
  grid-template-columns: 74px 1fr auto;
  gap: 0 10px;
  padding: 7px 0;
  border-bottom: 1px solid var(--plaster-3);
}
.latest a {
  font-weight: 700;
  color: var(--ink);
  text-decoration: none;
}
.latest time {
  color: var(--ink-2);
  font-size: 12px;
  padding-top: 2px;
}
.latest small {
  grid-column: 2 / 4;
  color: var(--ink-2);
}
</style>
