<script setup lang="ts">
import type { FrequentWay } from '@acequia/core/funnels/frequentWays'
import type { FunnelResult } from '@acequia/core/funnels/FunnelRun'
import type { Funnel } from '@acequia/core/funnels/funnelSchema'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { api } from '../app/api'
import { count, rate } from '../app/formatting'
import { useRange } from '../app/range'
import { useKeys } from '../app/useKeys'
import { useLoaded } from '../app/useLoaded'
import type { GoalAnswer } from '../goals/goalAnswer'
import { useCurrentSite } from '../sites/currentSite'
import { funnelToText, pageStep, type FunnelAnswer } from './funnelAnswer'

/** Saved funnels with what passes through them, and ways to goals that the log suggests. */
const current = useCurrentSite()
const range = useRange()
const router = useRouter()
const canEdit = computed(() => current.site?.role !== 'reader')
const goalId = ref('')

const { data, error } = useLoaded(
  async (signal) => {
    const [funnels, goals] = await Promise.all([
      api<FunnelAnswer[]>('GET', `${current.path}/funnels`, undefined, signal),
      api<GoalAnswer[]>('GET', `${current.path}/goals`, undefined, signal),
    ])
    const results = await Promise.all(
      funnels.map(({ id: _, revision: __, changedAt: ___, changedBy: ____, ...funnel }) =>
        api<FunnelResult>('POST', `${current.path}/funnels:run`, { ...funnel, ...range.asked }, signal),
      ),
    )
    return { funnels: funnels.map((funnel, index) => ({ ...funnel, result: results[index] as FunnelResult })), goals }
  },
  [() => range.query],
)
watch(data, (now) => {
  if (!goalId.value) goalId.value = now?.goals.find((goal) => goal.kind.type === 'page' || goal.kind.type === 'event')?.id ?? ''
})
const goal = computed(() => data.value?.goals.find((each) => each.id === goalId.value))
const { data: ways, loading } = useLoaded<FrequentWay[] | undefined>(
  async (signal) => (goalId.value ? api('POST', `${current.path}/funnels:suggest`, { goal: goalId.value, ...range.asked }, signal) : undefined),
  [goalId, () => range.query],
)

/** The goal's own path, with the goal as the last step. */
const fromPath = computed((): Funnel | null => {
  const kind = goal.value?.kind
  if (!goal.value || (kind?.type !== 'page' && kind?.type !== 'event')) return null
  return {
    name: `To ${goal.value.name}`,
    steps: [
      ...goal.value.path.map((step) => ({ name: step.name, event: 'page-view', where: step.where, direct: false })),
      { name: goal.value.name, event: kind.type === 'page' ? 'page-view' : kind.event, where: kind.where, direct: false },
    ],
    scope: 'visit',
    entry: 'first',
  }
})
const linkTo = (funnel: Funnel): object => ({ name: 'funnel', params: { key: current.key, id: 'new' }, query: { funnel: funnelToText(funnel) } })
const fromWay = (way: FrequentWay): Funnel => ({
  name: `${way.pages[0]} to ${goal.value?.name ?? ''}`,
  steps: way.pages.map((path) => pageStep(path)),
  scope: 'visit',
  entry: 'first',
})

useKeys({ n: () => void router.push({ name: 'funnel', params: { key: current.key, id: 'new' } }) })
</script>

<template>
  <div class="screen">
    <div class="screen-head">
      <h1>Funnels</h1>
      <RouterLink v-if="canEdit" class="button main-action" :to="{ name: 'funnel', params: { key: current.key, id: 'new' } }"
        >New funnel <kbd>n</kbd></RouterLink
      >
    </div>
    <p v-if="error" class="problem" role="alert">{{ error }}</p>
    <div v-if="data && !data.funnels.length" class="empty">
      <h2>No funnel is saved yet</h2>
      <p>
        A funnel says how many pass each step on the way to a goal, and where the others go. Begin with a way that visitors really took, below, or with steps of
        your own.
      </p>
    </div>
    <table v-else-if="data" class="figures">
      <thead>
        <tr>
          <th>Funnel</th>
          <th>Steps</th>
          <th class="number">Began</th>
          <th class="number">Completed</th>
          <th class="number">Of all</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="funnel in data.funnels" :key="funnel.id">
          <td>
            <RouterLink :to="{ name: 'funnel', params: { key: current.key, id: funnel.id } }">{{ funnel.name }}</RouterLink>
          </td>
          <td class="hint">{{ funnel.steps.map((step) => step.name).join(' → ') }}</td>
          <td class="number">{{ count(funnel.result.began) }}</td>
          <td class="number">{{ count(funnel.result.completed) }}</td>
          <td class="number">
            {{ rate(funnel.result.completionRate) }}
          </td>
        </tr>
      </tbody>
    </table>

    <section v-if="data?.goals.length" class="suggested">
      <h2>
        Ways to
        <select v-model="goalId" aria-label="Goal">
          <option v-for="each in data.goals" :key="each.id" :value="each.id">{{ each.name }}</option>
        </select>
      </h2>
      <p v-if="fromPath" class="way">
        <span
          >The goal’s own path: <strong>{{ fromPath.steps.map((step) => step.name).join(' → ') }}</strong></span
        >
        <RouterLink class="button" :to="linkTo(fromPath)">Draw it</RouterLink>
      </p>
      <p v-for="way in ways" :key="way.pages.join()" class="way">
        <span
          ><code>{{ way.pages.join(' → ') }}</code>
          <span class="hint">{{ count(way.visits) }} {{ way.visits === 1 ? 'visit' : 'visits' }} went exactly so</span></span
        >
        <RouterLink class="button" :to="linkTo(fromWay(way))">Draw it</RouterLink>
      </p>
      <p v-if="ways && !ways.length && !loading" class="hint">Nobody reached this goal over more than one page in these days.</p>
    </section>
  </div>
</template>

<style scoped>
.figures {
  width: 100%;
}
.suggested {
  margin-top: 30px;
}
.suggested h2 {
  font-size: 15px;
  color: var(--ink);
}
.way {
  display: flex;
  gap: 16px;
  justify-content: space-between;
  align-items: center;
  border-top: 1px solid var(--plaster-3);
  padding: 6px 0;
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
