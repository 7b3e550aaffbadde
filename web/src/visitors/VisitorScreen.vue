<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { api } from '../app/api'
import { count, money, timeText } from '../app/formatting'
import { useLoaded } from '../app/useLoaded'
import { spanText } from '../funnels/funnelAnswer'
import { useCurrentSite } from '../sites/currentSite'

/** Everything one visitor did: visits, events, what fired, what counted and why the rest did not. */
interface VisitorAnswer {
  visitor: string
  visits: {
    startedAt: string
    endedAt: string
    source: string
    medium: string
    campaign: string | null
    device: string | null
    browser: string | null
    system: string | null
    country: string | null
    events: {
      uid: string
      at: string
      name: string
      url: string
      path: string
      title: string | null
      data: Record<string, string | number | boolean> | null
      value: number | null
      currency: string | null
      order: string | null
      fired: string[]
      goals: { goal: string; name: string; counted: boolean; why: string | null }[]
    }[]
  }[]
}
const route = useRoute()
const current = useCurrentSite()
const visitor = String(route.params.visitor)
const { data, error } = useLoaded<VisitorAnswer>((signal) => api('GET', `${current.path}/visitors/${encodeURIComponent(visitor)}`, undefined, signal))
const zone = computed(() => current.site?.timeZone ?? 'UTC')
const visits = computed(() => [...(data.value?.visits ?? [])].reverse())
const counted = computed(() => data.value?.visits.flatMap((visit) => visit.events.flatMap((event) => event.goals.filter((each) => each.counted))).length ?? 0)
const clock = (at: string): string => timeText(at, zone.value, { timeStyle: 'medium' })
const dataText = (given: Record<string, string | number | boolean> | null): string =>
  Object.entries(given ?? {})
    .map(([name, value]) => `${name} ${String(value)}`)
    .join(', ')
</script>

<template>
  <div class="screen">
    <div class="screen-head">
      <h1>
        Visitor <code>{{ visitor.slice(0, 12) }}</code>
      </h1>
    </div>
    <p v-if="error" class="problem" role="alert">{{ error }}</p>
    <p v-if="data" class="hint">
      {{ count(data.visits.length) }} {{ data.visits.length === 1 ? 'visit' : 'visits' }}, {{ count(counted) }}
      {{ counted === 1 ? 'conversion' : 'conversions' }}. Newest first.
    </p>
    <section v-for="visit in visits" :key="visit.startedAt">
      <h2>
        {{ timeText(visit.startedAt, zone) }} · {{ visit.source }} / {{ visit.medium }}<template v-if="visit.campaign"> / {{ visit.campaign }}</template>
        <small>
          {{ spanText((Date.parse(visit.endedAt) - Date.parse(visit.startedAt)) / 1000) }} ·
          {{ [visit.device, visit.browser, visit.system, visit.country].filter(Boolean).join(', ') || 'device not known' }}
        </small>
      </h2>
      <ol>
        <li v-for="event in visit.events" :key="event.uid">
          <time>{{ clock(event.at) }}</time>
          <span class="gate" :class="{ reached: event.goals.some((each) => each.counted) }" aria-hidden="true" />
          <div>
            <span class="what">{{ event.name }}</span> <code :title="event.url">{{ event.path }}</code>
            <span v-if="event.title" class="hint"> {{ event.title }}</span>
            <span v-if="event.value !== null || event.order" class="hint">
              · {{ event.value === null ? '' : money(event.value, event.currency ?? current.site?.currency ?? 'EUR') }} {{ event.order ?? '' }}</span
            >
            <p v-if="event.data" class="hint data">{{ dataText(event.data) }}</p>
            <p v-if="event.fired.length" class="hint">fired: {{ event.fired.join(', ') }}</p>
            <p v-for="each in event.goals" :key="each.goal" :class="each.counted ? 'counted' : 'uncounted'">
              {{ each.counted ? '✓ counted for' : '○ not counted for' }}
              <RouterLink :to="{ name: 'goal', params: { key: current.key, id: each.goal } }">{{ each.name }}</RouterLink><template v-if="each.why"
                >: {{ each.why }}</template
              >
            </p>
          </div>
        </li>
      </ol>
    </section>
  </div>
</template>

<style scoped>
section {
  margin: 18px 0;
}
h2 {
  color: var(--ink);
}
h2 small {
  font-weight: 400;
  color: var(--ink-2);
  margin-left: 8px;
}
ol {
  list-style: none;
  padding: 0;
  margin: 0;
}
li {
  display: grid;
  grid-template-columns: 76px 12px minmax(0, 1fr);
  gap: 12px;
  padding: 5px 0;
}
time {
  color: var(--ink-2);
  font-size: 12.5px;
  text-align: right;
}
.gate {
  width: 3px;
  background: var(--water-run);
  margin-left: 4px;
  min-height: 20px;
}
.gate.reached {
  width: 9px;
  margin-left: 1px;
  background: var(--water);
  border-radius: 2px;
}
.what {
  margin-right: 2px;
  font-weight: 600;
}
p {
  margin: 0;
}
.hint {
  margin-left: 4px;
}
p.hint {
  margin-left: 0;
}
.data {
  overflow-wrap: anywhere;
}
.counted {
  color: var(--water);
}
.uncounted {
  color: var(--ink-2);
}
</style>
