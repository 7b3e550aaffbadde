<script setup lang="ts">
import type { WiringDifference } from '@acequia/core/wiring/wiringDifferences'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, messageOf } from '../app/api'
import { useCurrentSite } from '../sites/currentSite'
import ChangeList from './ChangeList.vue'
import { useDraftHistory } from './draftHistory'
import { useWiring, wiringOf } from './useWiring'

/** Takes the whole wiring out as a file, or in from one, showing first what that would change. */
const current = useCurrentSite()
const router = useRouter()
const history = useDraftHistory()
const { wiring, channels } = useWiring()
const text = ref('')
const fileName = ref('')
const problem = ref('')
const changes = ref<WiringDifference[]>()
const revision = ref<number>()
const busy = ref(false)
const canEdit = computed(() => current.site?.role !== 'reader')

interface WiringFile {
  wiring?: object & { tags?: { does?: { type?: string; channel?: string } }[] }
  channels?: { id: string; name: string; recipe: string }[]
}

/** Channels have other ids on another site; those of the same recipe stand in for each other. */
function adapted(file: WiringFile): unknown {
  const wanted = new Map((file.channels ?? []).map((channel) => [channel.id, channel]))
  return JSON.parse(JSON.stringify(file.wiring ?? file), (name, value: unknown) => {
    if (name !== 'channel' || typeof value !== 'string' || channels.value.some((each) => each.id === value)) return value
    const theirs = wanted.get(value)
    return (
      channels.value.find((each) => each.recipe === theirs?.recipe && each.name === theirs.name)?.id ??
      channels.value.find((each) => each.recipe === theirs?.recipe)?.id ??
      value
    )
  })
}

async function send(apply: boolean): Promise<void> {
  problem.value = ''
  busy.value = true
  try {
    let file: WiringFile
    try {
      file = JSON.parse(text.value) as WiringFile
    } catch (error) {
      throw new Error(`This is no JSON: ${messageOf(error)}`, { cause: error })
    }
    const before = wiring.value && wiringOf(wiring.value)
    const answer = await api<{ changes: WiringDifference[]; revision: number }>('POST', `${current.path}/wiring:import`, {
      wiring: adapted(file),
      apply,
      revision: revision.value,
    })
    changes.value = answer.changes
    revision.value = answer.revision
    if (!apply) return
    if (before) history.note(current.key, { what: 'taking a wiring from a file', before, after: wiringOf(await api('GET', `${current.path}/wiring`)) })
    await current.refreshProgress()
    await router.push({ name: 'wiring', params: { key: current.key } })
  } catch (error) {
    problem.value = messageOf(error)
    changes.value = undefined
  } finally {
    busy.value = false
  }
}

async function takeFile(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  fileName.value = file.name
  text.value = await file.text()
  await send(false)
}
</script>

<template>
  <div class="screen">
    <div class="screen-head"><h1>Wiring as a file</h1></div>
    <section>
      <h2>Take it out</h2>
      <p>All triggers, tags, readings and relay links of the draft as JSON, to keep, to compare, or for another site.</p>
      <a class="button main-action" :href="`/api/v1${current.path}/wiring:export`" download>Export</a>
    </section>
    <section v-if="canEdit">
      <h2>Take one in</h2>
      <p>It replaces the draft. You see first what would change; nothing goes live before you release it.</p>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <p><input type="file" accept=".json,application/json" aria-label="File with a wiring" @change="takeFile" /></p>
      <details>
        <summary>or paste it</summary>
        <textarea v-model="text" class="mono" rows="8" aria-label="Wiring as JSON" spellcheck="false" />
        <button :disabled="!text.trim() || busy" @click="send(false)">Show what it would change</button>
      </details>
      <template v-if="changes">
        <h2>{{ fileName || 'It' }} would change</h2>
        <ChangeList v-if="changes.length" :changes="changes" />
        <p v-else class="hint">Nothing: the draft is the same already.</p>
        <button v-if="changes.length" class="main-action" :disabled="busy" @click="send(true)">Replace the draft</button>
      </template>
    </section>
    <RouterLink class="button" :to="{ name: 'wiring', params: { key: current.key } }">Back to the wiring</RouterLink>
  </div>
</template>

<style scoped>
section {
  margin-bottom: 28px;
  max-width: 820px;
}
textarea {
  width: 100%;
}
summary {
  cursor: pointer;
  color: var(--ink-2);
}
</style>
