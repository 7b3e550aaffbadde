<script setup lang="ts">
import { FINDING_WORDS, type SurveyedPage, type SurveyFinding } from '@acequia/core/installation/inspectPage'
import { compareSurveys } from '@acequia/core/installation/compareSurveys'
import { computed, onBeforeUnmount, ref } from 'vue'
import { api, messageOf } from '../app/api'
import { agoText, count } from '../app/formatting'
import { useLoaded } from '../app/useLoaded'
import DataTable from '../tables/DataTable.vue'
import type { Column } from '../tables/tableRows'
import { useCurrentSite } from './currentSite'

/** Which pages have the loader and which do not, as far as the survey has come. */
interface SurveyAnswer {
  home: string
  survey?: {
    id: number
    state: 'running' | 'done' | 'stopped'
    startedAt: string
    endedAt: string | null
    startedBy: string
    waiting: number
    note: string
    pages: SurveyedPage[]
  }
  before?: { startedAt: string; pages: SurveyedPage[] }
}
const current = useCurrentSite()
const problem = ref('')
const start = ref('')
let timer: ReturnType<typeof setTimeout> | undefined
const { data, error, reload } = useLoaded<SurveyAnswer>(async (signal) => {
  const answer = await api<SurveyAnswer>('GET', `${current.path}/survey`, undefined, signal)
  clearTimeout(timer)
  if (answer.survey?.state === 'running') timer = setTimeout(() => void reload(), 500)
  return answer
})
onBeforeUnmount(() => clearTimeout(timer))
const survey = computed(() => data.value?.survey)
const running = computed(() => survey.value?.state === 'running')
const canEdit = computed(() => current.site?.role !== 'reader')
const isFine = (page: SurveyedPage): boolean => page.findings.every((each) => each === 'present')
const isPage = (page: SurveyedPage): boolean => !page.findings.some((each) => each === 'no-page' || each === 'not-allowed')
const tally = computed(() => {
  const pages = (survey.value?.pages ?? []).filter(isPage)
  const having = (finding: SurveyFinding): number => pages.filter((page) => page.findings.includes(finding)).length
  return { all: pages.length, fine: pages.filter(isFine).length, missing: having('missing') }
})
const differences = computed(() =>
  survey.value && data.value?.before && survey.value.state === 'done' ? compareSurveys(data.value.before.pages, survey.value.pages) : [],
)

const pathOf = (url: string): string => (URL.canParse(url) ? new URL(url).pathname + new URL(url).search : url)

const columns: Column[] = [
  { key: 'rank', name: 'What', show: (_, row) => String(row.words) },
  { key: 'title', name: 'Title' },
  { key: 'path', name: 'Page', mono: true },
]
const rows = computed(() =>
  (survey.value?.pages ?? []).map((page) => ({
    rank: isFine(page) ? 2 : isPage(page) ? 0 : 1,
    words: page.findings.map((each) => FINDING_WORDS[each]).join('; ') + (page.detail ? ` (${page.detail})` : ''),
    fine: isFine(page),
    page: isPage(page),
    title: page.title,
    path: pathOf(page.url),
    url: page.url,
  })),
)
const sorted = computed(() => [...rows.value].sort((a, b) => a.rank - b.rank))

async function run(): Promise<void> {
  problem.value = ''
  try {
    await api('POST', `${current.path}/survey`, start.value ? { start: start.value } : {})
    await reload()
  } catch (cause) {
    problem.value = messageOf(cause)
  }
}

async function stop(): Promise<void> {
  try {
    await api('DELETE', `${current.path}/survey`)
    await reload()
  } catch (cause) {
    problem.value = messageOf(cause)
  }
}
</script>

<template>
  <section class="survey">
    <h2>Survey: is it on every page?</h2>
    <p v-if="problem || error" class="problem" role="alert">{{ problem || error }}</p>
    <form v-if="canEdit" class="row" @submit.prevent="run">
      <label>From <input v-model="start" class="mono" :placeholder="data?.home ?? 'the home page'" maxlength="2000" aria-label="Page to start from" /></label>
      <button :class="{ 'main-action': !survey }" :disabled="running">{{ survey ? 'Survey again' : 'Survey the pages' }}</button>
      <button v-if="running" type="button" @click="stop">Stop</button>
    </form>
    <p v-if="data && !survey" class="hint">
      Goes over up to 200 pages from the sitemap or home page, as robots.txt allows, and says which have the loader: once, with the right key, in the head.
    </p>
    <template v-if="survey">
      <p role="status">
        <strong>{{ count(tally.fine) }} of {{ count(tally.all) }}</strong> pages are as they should be<template v-if="tally.missing"
          >; <strong class="missing">{{ count(tally.missing) }} without the loader</strong></template
        >.
        <span class="hint">
          <template v-if="running">Still looking: {{ count(survey.waiting) }} wait.</template>
          <template v-else
            >{{ survey.state === 'stopped' ? 'Stopped' : 'Surveyed' }} {{ agoText(survey.endedAt ?? survey.startedAt) }}, {{ survey.startedBy }}.
            {{ survey.note }}</template
          >
        </span>
      </p>
      <progress v-if="running" :value="survey.pages.length" :max="survey.pages.length + survey.waiting" aria-label="How far the survey has come" />
      <ul v-if="differences.length" class="differences">
        <li v-for="each in differences.slice(0, 12)" :key="each.url">
          Since the survey before: <code>{{ pathOf(each.url) }}</code> {{ each.words }}
        </li>
      </ul>
      <DataTable v-if="rows.length" :columns="columns" :rows="sorted" row-key="url" name="Surveyed pages" :page-size="12">
        <template #cell-rank="{ row }"
          ><span :class="row.fine ? 'fine' : row.page ? 'wrong' : 'hint'">{{ row.fine ? '✓' : row.page ? '✗' : '–' }} {{ row.words }}</span></template
        >
        <template #cell-path="{ row }"
          ><a :href="String(row.url)" target="_blank" rel="noopener noreferrer" class="mono">{{ row.path }}</a></template
        >
      </DataTable>
    </template>
  </section>
</template>

<style scoped>
.survey {
  margin-top: 26px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-bottom: 10px;
}
.row input {
  width: 300px;
}
.missing,
.wrong {
  color: var(--loss);
}
.fine {
  color: var(--water);
}
progress {
  width: 100%;
  accent-color: var(--water);
}
.differences {
  padding-left: 18px;
}
</style>
