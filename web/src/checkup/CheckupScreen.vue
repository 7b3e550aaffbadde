<script setup lang="ts">
import { applyPatch, type Mend, type Weight } from '@acequia/core/checkup/Finding'
import { computed, nextTick, ref, watch } from 'vue'
import { api, messageOf } from '../app/api'
import { timeText } from '../app/formatting'
import { useLive } from '../app/live'
import type { GoalAnswer } from '../goals/goalAnswer'
import { useCurrentSite } from '../sites/currentSite'
import { useWiring } from '../wiring/useWiring'
import { useCheckup, type FindingAnswer } from './checkup'

/** What is wrong or suspicious, by weight: a sentence, its evidence, and one action that mends it. */
const WORDS: Record<Weight, string> = { loss: 'Loses money or data', warning: 'Probably wrong', notice: 'Worth knowing' }
const current = useCurrentSite()
const checkup = useCheckup()
const live = useLive()
const draft = useWiring()
const problem = ref('')
const said = ref('')
const busy = ref('')
const accepting = ref('')
const reason = ref('')
const canEdit = computed(() => current.site?.role !== 'reader')
const isOwner = computed(() => current.site?.role === 'owner')
const accepted = computed(() => checkup.findings?.filter((each) => each.accepted) ?? [])
const groups = computed(() =>
  (['loss', 'warning', 'notice'] as const)
    .map((weight) => ({ weight, findings: checkup.open.filter((each) => each.weight === weight) }))
    .filter((group) => group.findings.length),
)

void checkup.check(current.key)
watch(
  () => Math.floor(live.changes / 10),
  () => checkup.checkSoon(current.key),
)

async function mend(finding: FindingAnswer, act: Exclude<Mend, { type: 'open' }>): Promise<void> {
  busy.value = finding.id
  problem.value = ''
  said.value = ''
  try {
    if (act.type === 'wiring') {
      if (!(await draft.change(act.label, (wiring) => applyPatch(wiring, act.patch))))
        throw new Error(draft.problem.value || 'The draft could not be loaded; try again.')
      said.value = `Mended in the draft: ${act.label}. It goes live with the next release.`
    } else if (act.type === 'goal') {
      const { revision } = await api<GoalAnswer>('GET', `${current.path}/goals/${act.id}`)
      await api('PUT', `${current.path}/goals/${act.id}`, { ...act.goal, revision })
      said.value = `Mended: ${act.label}. “${act.goal.name}” is being recounted over all history.`
    } else if (current.site) {
      const { key: _, createdAt: __, role: ___, ...settings } = current.site
      await api('PUT', current.path, { ...settings, ...act.settings })
      await current.load()
      said.value = `Mended: ${act.label}.`
    }
    await checkup.check(current.key)
  } catch (cause) {
    problem.value = messageOf(cause)
  } finally {
    busy.value = ''
  }
}

function chooseShare(): void {
  localStorage.setItem('acequia.claimShare', String(checkup.claimShare))
  void checkup.check(current.key)
}

async function undo(): Promise<void> {
  said.value = ''
  await draft.undo()
  await checkup.check(current.key)
}

async function askReason(id: string): Promise<void> {
  accepting.value = id
  reason.value = ''
  await nextTick()
  document.querySelector<HTMLElement>('.reason input')?.focus()
}

async function accept(id: string, why: string): Promise<void> {
  problem.value = ''
  try {
    await api('PUT', `${current.path}/checkup:accept`, { id, reason: why })
    accepting.value = ''
    await checkup.check(current.key)
  } catch (cause) {
    problem.value = messageOf(cause)
  }
}

const allowed = (act: Mend): boolean => act.type === 'open' || (act.type === 'settings' ? isOwner.value : canEdit.value)
const placeOf = (act: Extract<Mend, { type: 'open' }>): object => ({ name: act.screen, params: { key: current.key, ...(act.id && { id: act.id }) } })
</script>

<template>
  <div class="screen">
    <div class="screen-head">
      <h1>Checkup</h1>
      <label class="hint"
        >Channels’ own figures may differ by
        <select v-model.number="checkup.claimShare" @change="chooseShare">
          <option v-for="each in [0.1, 0.2, 0.3, 0.5, 1]" :key="each" :value="each">{{ Math.round(each * 100) }} %</option>
        </select></label
      >
      <button @click="checkup.check(current.key)">Check again</button>
    </div>
    <p v-if="checkup.error || problem" class="problem" role="alert">{{ problem || checkup.error }}</p>
    <p v-if="said" class="said" role="status">{{ said }} <button v-if="said.includes('draft')" class="quiet" @click="undo">Undo</button></p>
    <p v-if="!checkup.findings && !checkup.error" class="hint" role="status">Looking at the draft, the goals and 30 days of traffic …</p>
    <div v-else-if="checkup.findings && !checkup.open.length" class="empty">
      <h2>Nothing is wrong</h2>
      <p>The draft, the goals, the last survey and 30 days of traffic were looked at. This page looks again as things change.</p>
    </div>
    <section v-for="group in groups" :key="group.weight" :class="group.weight">
      <h2>
        <span class="mark" aria-hidden="true">{{ group.weight === 'loss' ? '▼' : group.weight === 'warning' ? '◆' : '●' }}</span>
        {{ WORDS[group.weight] }} <small>{{ group.findings.length }}</small>
      </h2>
      <article v-for="finding in group.findings" :key="finding.id">
        <div>
          <p class="sentence">{{ finding.sentence }}</p>
          <p v-for="line in finding.evidence" :key="line" class="hint">{{ line }}</p>
          <form v-if="accepting === finding.id" class="reason" @submit.prevent="accept(finding.id, reason)">
            <label>Why it is fine <input v-model.trim="reason" required maxlength="1000" size="40" @keydown.esc="accepting = ''" /></label>
            <button>Accept</button>
            <button type="button" class="quiet" @click="accepting = ''">Cancel</button>
          </form>
        </div>
        <div class="acts">
          <RouterLink v-if="finding.mend.type === 'open'" class="button main-action" :to="placeOf(finding.mend)">{{ finding.mend.label }}</RouterLink>
          <button
            v-else
            class="main-action"
            :disabled="!allowed(finding.mend) || busy === finding.id"
            :title="allowed(finding.mend) ? undefined : `Your role on this site is ${current.site?.role}; somebody else has to do this.`"
            @click="mend(finding, finding.mend)"
          >
            {{ finding.mend.label }}
          </button>
          <button v-if="canEdit && accepting !== finding.id" class="quiet" @click="askReason(finding.id)">Accept with a reason …</button>
        </div>
      </article>
    </section>
    <details v-if="accepted.length" class="accepted">
      <summary>{{ accepted.length }} accepted</summary>
      <article v-for="finding in accepted" :key="finding.id">
        <div>
          <p class="sentence">{{ finding.sentence }}</p>
          <p class="hint">
            “{{ finding.accepted!.reason }}” — {{ finding.accepted!.by }},
            {{ timeText(finding.accepted!.at, current.site?.timeZone ?? 'UTC', { dateStyle: 'medium' }) }}
          </p>
        </div>
        <div class="acts"><button v-if="canEdit" class="quiet" @click="accept(finding.id, '')">Take back</button></div>
      </article>
    </details>
  </div>
</template>

<style scoped>
section {
  margin-bottom: 22px;
}
h2 {
  color: var(--ink);
  font-size: 14px;
}
h2 small {
  color: var(--ink-2);
  font-weight: 400;
}
.loss .mark {
  color: var(--loss);
}
.warning .mark {
  color: var(--ochre);
}
.notice .mark {
  color: var(--water);
}
article {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 6px 24px;
  align-items: start;
  padding: 10px 0;
  border-top: 1px solid var(--plaster-3);
}
.sentence {
  max-width: 92ch;
  margin-bottom: 2px;
  overflow-wrap: anywhere;
}
.hint {
  margin-bottom: 0;
  overflow-wrap: anywhere;
}
.acts {
  display: grid;
  gap: 6px;
  justify-items: end;
}
.acts .button,
.acts button {
  white-space: normal;
  max-width: 240px;
  text-align: right;
}
.reason {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-top: 8px;
}
.said {
  background: var(--water-mist);
  border-radius: var(--radius);
  padding: 8px 12px;
}
.accepted {
  color: var(--ink-2);
}
summary {
  cursor: pointer;
}
</style>
