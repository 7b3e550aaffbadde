<script setup lang="ts">
import type { SiteSettings } from '@acequia/core/sites/siteSchema'
import { computed, ref } from 'vue'
import { api, ApiProblem, messageOf } from '../app/api'
import { ElSwitch } from '../app/elementPlus'
import { useKeptDraft } from '../app/useKeptDraft'
import { useKeys } from '../app/useKeys'
import ArrivalList from './ArrivalList.vue'
import { useCurrentSite, type SiteAnswer } from './currentSite'
import DerivationSection from './DerivationSection.vue'
import LinesField from './LinesField.vue'
import SiteFields from './SiteFields.vue'

/** The settings of a site. */
const current = useCurrentSite()
const problem = ref('')
const wrong = ref<Record<string, string>>({})
const said = ref('')
const canEdit = computed(() => current.site?.role !== 'reader')

/** Choices for how long events are kept, in months, with the one that is set. */
const KEPT = [...new Set([3, 6, 13, 25, 37, 50, ...(current.site?.keepMonths ? [current.site.keepMonths] : [])])].sort((a, b) => a - b)
const settingsOf = ({ key: _, revision: __, createdAt: ___, role: ____, ...settings }: SiteAnswer): SiteSettings => settings
const site = current.site as SiteAnswer
const { draft, changed, accept, settle, discard } = useKeptDraft<SiteSettings>(`site.${current.key}`, settingsOf(site))
accept(settingsOf(site))
const errorFor = (name: string): string | undefined => Object.entries(wrong.value).find(([path]) => path.startsWith(name))?.[1]

async function save(): Promise<void> {
  if (!canEdit.value) return
  problem.value = said.value = ''
  wrong.value = {}
  try {
    await api('PUT', current.path, { ...draft.value, revision: current.site?.revision })
    await current.load()
    settle(settingsOf(current.site as SiteAnswer))
    said.value = 'Saved. Where it changes sources, days or money, all figures are being derived anew.'
  } catch (error) {
    problem.value = messageOf(error)
    if (error instanceof ApiProblem) for (const each of error.errors) wrong.value[each.path] = each.message
    if (error instanceof ApiProblem && error.status === 409) await current.load()
  }
}

useKeys({ '$mod+s': () => void save() })
</script>

<template>
  <div class="with-evidence">
    <div class="screen">
      <div class="screen-head">
        <h1>Settings of the site</h1>
        <RouterLink class="button" :to="{ name: 'site', params: { key: current.key } }">Installation</RouterLink>
      </div>
      <form class="settings" @submit.prevent="save">
        <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
        <fieldset :disabled="!canEdit">
          <SiteFields :settings="draft" :wrong="wrong" @change="draft = $event" />
          <LinesField
            label="Rates"
            :hint="`One currency a line, and how much ${draft.currency} one unit of it is worth. Conversions in a currency without a rate count, but add no value.`"
            placeholder="USD  0.92"
            :rows="Object.entries(draft.rates)"
            :width="2"
            :error="errorFor('rates')"
            @change="draft = { ...draft, rates: Object.fromEntries($event) }"
          />
          <LinesField
            label="Pass-through hosts"
            hint="Where visitors only pass through, such as a payment page. They are no source."
            placeholder="pay.example.com"
            :rows="draft.passThroughHosts.map((host) => [host])"
            :width="1"
            :error="errorFor('passThroughHosts')"
            @change="draft = { ...draft, passThroughHosts: $event.map(([host]) => host!) }"
          />
          <LinesField
            label="Source rules"
            hint="Host, source and medium of visits that come from there. The first in the list wins."
            placeholder="search.example  search  organic"
            :rows="draft.sourceRules.map((rule) => [rule.host, rule.source, rule.medium])"
            :width="3"
            :error="errorFor('sourceRules')"
            @change="draft = { ...draft, sourceRules: $event.map(([host, source, medium]) => ({ host: host!, source: source!, medium: medium! })) }"
          />
          <LinesField
            label="Click ids"
            hint="Parameter that a channel adds to addresses, and the source and medium it stands for. The first in the list wins."
            placeholder="lantern  farola  cpc"
            :rows="draft.clickIds.map((click) => [click.parameter, click.source, click.medium])"
            :width="3"
            :error="errorFor('clickIds')"
            @change="draft = { ...draft, clickIds: $event.map(([parameter, source, medium]) => ({ parameter: parameter!, source: source!, medium: medium! })) }"
          />
          <LinesField
            label="Hosts that may serve scripts"
            hint="From here recipes may load scripts onto the site's pages. Taking one away keeps wirings that need it from going live."
            placeholder="cdn.channel.example"
            :rows="draft.scriptHosts.map((host) => [host])"
            :width="1"
            :error="errorFor('scriptHosts')"
            @change="draft = { ...draft, scriptHosts: $event.map(([host]) => host!) }"
          />
          <div class="field">
            <strong>Survey</strong>
            <label class="switch"><ElSwitch v-model="draft.surveyNightly" aria-label="Survey the pages every night" /> survey the pages every night</label>
          </div>
          <div class="field">
            <strong>Single-page applications</strong>
            <label class="switch"
              ><ElSwitch v-model="draft.pageChanges.query" aria-label="A change of the query alone is a page view" /> a change of the query alone is a page
              view</label
            >
            <label class="switch"
              ><ElSwitch v-model="draft.pageChanges.fragment" aria-label="A change of the fragment alone is a page view" /> a change of the fragment alone is a
              page view</label
            >
          </div>
          <label class="field">
            Consent
            <select v-model="draft.consent">
              <option value="not-needed">Record from the first page on</option>
              <option value="ask">Record only after the page passed consent on</option>
            </select>
            <small
              >With the second, nothing is kept in the browser and nothing is sent until the page calls <code>consent({ statistics, marketing })</code>.</small
            >
          </label>
          <label class="field">
            Events are kept
            <select v-model="draft.keepMonths">
              <option :value="null">for good</option>
              <option v-for="months in KEPT" :key="months" :value="months">for {{ months }} months</option>
            </select>
            <small v-if="errorFor('keepMonths')" class="error-text">{{ errorFor('keepMonths') }}</small>
            <small v-else>Whole months that are older are removed every night, and what was counted from them with them. Nothing brings them back.</small>
          </label>
        </fieldset>
        <div class="actions">
          <button class="main-action" :disabled="!canEdit || !changed">Save</button>
          <button v-if="changed" type="button" @click="discard">Give up changes</button>
          <kbd>Ctrl S</kbd>
          <span role="status">{{ said }}</span>
        </div>
      </form>
      <DerivationSection />
    </div>
    <aside class="evidence" aria-label="What arrives"><ArrivalList /></aside>
  </div>
</template>

<style scoped>
.settings {
  max-width: 620px;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
}
div.field {
  display: grid;
  gap: 4px;
  margin-bottom: 14px;
}
.switch {
  display: flex;
  gap: 10px;
  align-items: center;
}
.actions {
  display: flex;
  gap: 10px;
  align-items: center;
}
</style>
