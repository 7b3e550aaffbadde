<script setup lang="ts">
import { goalSentence } from '@acequia/core/sentences/goalSentence'
import { plainText } from '@acequia/core/sentences/Part'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api } from '../app/api'
import { changeFrom, count, locale, money, rate } from '../app/formatting'
import { useLive } from '../app/live'
import { useRange } from '../app/range'
import { useKeys } from '../app/useKeys'
import { useLoaded } from '../app/useLoaded'
import SparkLine from '../charts/SparkLine.vue'
import { useCurrentSite } from '../sites/currentSite'
import DataTable from '../tables/DataTable.vue'
import type { Column } from '../tables/tableRows'
import type { GoalAnswer, Overview } from './goalAnswer'

/** All goals with what they counted in the days in view. */
const current = useCurrentSite()
const range = useRange()
const live = useLive()
const router = useRouter()
const currency = computed(() => current.site?.currency ?? 'EUR')

const withArchived = ref(false)
const { data, error } = useLoaded(
  async (signal) => {
    const [goals, overview] = await Promise.all([
      api<GoalAnswer[]>('GET', `${current.path}/goals`, undefined, signal),
      api<Overview>('GET', `${current.path}/overview?${range.query}&archived=with`, undefined, signal),
    ])
    return { goals, overview }
  },
  [() => range.query, () => live.changes],
  300,
)

const columns = computed<Column[]>(() => [
  { key: 'name', name: 'Goal' },
  { key: 'category', name: 'For' },
  { key: 'conversions', name: 'Count', number: true, show: (value) => count(value as number), title: 'Conversions in the days in view' },
  {
    key: 'value',
    name: 'Value',
    number: true,
    show: (value) => (value ? money(value as number, currency.value) : '–'),
    title: "Their values added up, in the site's currency",
  },
  {
    key: 'rate',
    name: 'Rate',
    number: true,
    show: (value) => rate(value as number | null),
    title: 'Visits that began in these days and have a conversion, by all visits that began in them',
  },
  {
    key: 'before',
    name: 'Before',
    number: true,
    show: (_, row) => changeFrom(row.before as number, row.conversions as number) ?? '–',
    title: 'Count against as many days before',
  },
  { key: 'trend', name: 'Trend' },
])
const rows = computed(() =>
  (data.value?.goals ?? [])
    .filter((goal) => withArchived.value || !goal.archivedAt)
    .map((goal) => {
      const figures = data.value?.overview.goals.find((each) => each.id === goal.id)
      return {
        id: goal.id,
        name: goal.name,
        category: goal.category,
        conversions: figures?.conversions ?? 0,
        value: figures?.value ?? 0,
        rate: figures?.rate ?? null,
        before: figures?.before.conversions ?? 0,
        daily: figures?.daily.map((day) => day.conversions) ?? [],
        sentence: plainText(goalSentence(goal, currency.value, locale)),
        archived: !!goal.archivedAt,
        recounting: goal.recount.state === 'running',
      }
    }),
)

useKeys({ n: () => void router.push({ name: 'new-goal', params: { key: current.key } }) })
</script>

<template>
  <div class="screen">
    <div class="screen-head">
      <h1>Goals</h1>
      <RouterLink class="button" :to="{ name: 'elsewhere', params: { key: current.key } }">Conversions from elsewhere …</RouterLink>
      <RouterLink class="button main-action" :to="{ name: 'new-goal', params: { key: current.key } }">New goal <kbd>n</kbd></RouterLink>
    </div>
    <p v-if="error" class="problem" role="alert">{{ error }}</p>
    <div v-if="data && !data.goals.length" class="empty">
      <h2>Nothing is counted yet</h2>
      <p>
        A goal says what matters: a page reached after a form, a booking with its amount, time spent reading. It is counted over everything already recorded, so
        you see at once what it brings.
      </p>
      <RouterLink class="button main-action" :to="{ name: 'new-goal', params: { key: current.key } }">Make the first goal</RouterLink>
    </div>
    <DataTable v-else-if="data" :columns="columns" :rows="rows" row-key="id" name="Goals">
      <template #cell-name="{ row }">
        <RouterLink class="goal" :to="{ name: 'goal', params: { key: current.key, id: String(row.id) } }">{{ row.name }}</RouterLink><span
          v-if="row.archived"
          class="hint"
        >
          archived</span
        >
        <p class="hint sentence">{{ row.sentence }}<strong v-if="row.recounting"> Recounting …</strong></p>
      </template>
      <template #cell-trend="{ row }"><SparkLine :values="row.daily as number[]" :label="`Trend of ${String(row.name)}`" /></template>
    </DataTable>
    <label v-if="data?.goals.some((goal) => goal.archivedAt)" class="hint"><input v-model="withArchived" type="checkbox" /> show archived goals too</label>
  </div>
</template>

<style scoped>
.goal {
  font-weight: 700;
  color: var(--ink);
}
.sentence {
  margin: 0;
  max-width: 62ch;
}
</style>
