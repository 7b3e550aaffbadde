<script setup lang="ts">
import type { BacktestResult } from '@acequia/core/goals/Backtest'
import { computed } from 'vue'
import { count, money, rate, timeText } from '../app/formatting'
import DailyBars from '../charts/DailyBars.vue'
import { useCurrentSite } from '../sites/currentSite'
import { useRange } from '../app/range'

/** What recorded traffic says about what is being edited. `counts` names what is counted: conversions, or fires of a trigger. */
const props = defineProps<{
  result: BacktestResult | undefined
  loading: boolean
  error: string
  unfinished?: boolean
  fromNowOn?: boolean
  counts: 'conversions' | 'times'
  /** What it counts as it is saved, while it is being changed. */
  saved?: BacktestResult | undefined
  /** Saved goals that count just the same. */
  sameAs?: { id: string; name: string }[] | undefined
}>()
defineEmits<{ include: [path: string] }>()
const current = useCurrentSite()
const range = useRange()
const currency = computed(() => current.site?.currency ?? 'EUR')
const bars = computed(() => (props.result?.daily ?? []).map((each) => ({ day: each.day, value: each.conversions })))
const included = (why: string): boolean => why === 'differs only in upper and lower case'
</script>

<template>
  <div class="goal-evidence" :aria-busy="loading">
    <section>
      <h2>Evidence, {{ range.length }} days<span v-if="loading" class="working"> · looking …</span></h2>
      <p v-if="error" class="problem" role="alert">{{ error }}</p>
      <p v-if="unfinished" class="hint">
        Choose what stands at the yellow “…”. Then everything recorded in these days is looked through, and what matches shows here.
      </p>
      <template v-else-if="result">
        <div class="big">
          <div
            :title="
              counts === 'conversions' ? 'What this goal would have counted in these days, had it always been so' : 'How often this trigger would have fired'
            "
          >
            <strong>{{ count(result.conversions) }}</strong><span>{{ counts }}</span>
          </div>
          <template v-if="counts === 'conversions'">
            <div title="Their values added up, in the site's currency">
              <strong>{{ money(result.value, currency) }}</strong><span>value</span>
            </div>
            <div :title="`${count(result.convertingVisits)} of the ${count(result.visits)} visits that began in these days have a conversion`">
              <strong>{{ rate(result.rate) }}</strong><span>of visits</span>
            </div>
          </template>
          <div v-else :title="`of ${count(result.visits)} visits that began in these days`">
            <strong>{{ count(result.convertingVisits) }}</strong><span>of {{ count(result.visits) }} visits</span>
          </div>
        </div>
        <p v-if="saved" class="hint">
          As it is saved: {{ count(saved.conversions) }}<template v-if="counts === 'conversions'">, {{ money(saved.value, currency) }}</template
          >, {{ rate(saved.rate) }} of visits.
        </p>
        <p v-if="sameAs?.length" class="same" role="status">
          Counts the same as
          <template v-for="(each, index) in sameAs" :key="each.id"
            >{{ index ? ', ' : '' }}<RouterLink :to="{ name: 'goal', params: { key: current.key, id: each.id } }">{{ each.name }}</RouterLink></template
          >.
        </p>
        <p v-if="result.unconverted" class="hint">
          Without a rate, and so not in the value:
          {{
            Object.entries(result.unconverted)
              .map(([code, sum]) => `${sum} ${code}`)
              .join(', ')
          }}. Rates are entered under Site.
        </p>
        <DailyBars :days="bars" :unit="counts" />
        <p v-if="fromNowOn" class="hint none">Recorded from the moment a release with this trigger is live; what happened before cannot be known.</p>
        <p v-else-if="!result.conversions && !loading" class="hint none">
          Nothing recorded matches{{ result.visits ? '' : '; no visit was recorded in these days' }}. Look at the near misses, or choose a value that occurred.
        </p>
      </template>
    </section>

    <section v-if="!unfinished && result?.nearMisses.length">
      <h2>Near misses</h2>
      <ul>
        <li v-for="miss in result.nearMisses.slice(0, 6)" :key="miss.path + miss.why">
          <div>
            <code>{{ miss.path }}</code>
            <p class="hint">{{ miss.why }}; {{ count(miss.events) }} {{ miss.events === 1 ? 'time' : 'times' }}</p>
          </div>
          <button v-if="!included(miss.why)" @click="$emit('include', miss.path)">Include</button>
        </li>
      </ul>
    </section>

    <section v-if="!unfinished && result?.alone.length">
      <h2>What each condition alone would match</h2>
      <table class="figures">
        <tbody>
          <tr v-for="each in result.alone" :key="each.words">
            <td>{{ each.words }}</td>
            <td class="number">{{ count(each.events) }}</td>
          </tr>
        </tbody>
      </table>
    </section>

    <section v-if="!unfinished && result?.addresses.length">
      <h2>Addresses hit</h2>
      <table class="figures">
        <thead class="visually-hidden">
          <tr>
            <th>Path</th>
            <th>Events</th>
            <th>Visits</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="address in result.addresses.slice(0, 8)" :key="address.path">
            <td class="path">
              <code>{{ address.path }}</code>
            </td>
            <td class="number" :title="`${count(address.events)} events`">{{ count(address.events) }}</td>
            <td class="number hint" :title="`in ${count(address.visits)} visits`">{{ count(address.visits) }} visits</td>
          </tr>
        </tbody>
      </table>
    </section>

    <section v-if="!unfinished && counts === 'conversions' && result?.examples.length">
      <h2>Last counted</h2>
      <table class="figures">
        <thead class="visually-hidden">
          <tr>
            <th>When</th>
            <th>Order or page</th>
            <th>Value</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(example, index) in result.examples.slice(0, 5)" :key="index">
            <td>{{ timeText(example.at, current.site?.timeZone ?? 'UTC', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }) }}</td>
            <td class="path">
              <RouterLink title="Everything this visitor did" :to="{ name: 'visitor', params: { key: current.key, visitor: example.visitor } }"
                ><code>{{ example.order ?? example.path }}</code></RouterLink
              >
            </td>
            <td class="number">{{ example.value === null ? `no rate for ${example.currency}` : money(example.value, currency) }}</td>
          </tr>
        </tbody>
      </table>
    </section>
  </div>
</template>

<style scoped>
.working {
  font-weight: 400;
}
.big {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 22px;
  margin-bottom: 14px;
}
.big strong {
  display: block;
  font: 600 30px/1.15 var(--display);
}
.big span {
  color: var(--ink-2);
  font-size: 12.5px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  gap: 10px;
  justify-content: space-between;
  align-items: flex-start;
  border-bottom: 1px solid var(--plaster-3);
  padding: 7px 0;
}
li p {
  margin: 0;
}
code {
  overflow-wrap: anywhere;
}
.same {
  background: var(--ochre-run);
  border-radius: var(--radius);
  padding: 6px 10px;
}
.none {
  margin-top: 10px;
}
</style>
