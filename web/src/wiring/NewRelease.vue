<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ApiProblem, messageOf } from '../app/api'
import { useKeys } from '../app/useKeys'
import { useCurrentSite } from '../sites/currentSite'
import ChangeList from './ChangeList.vue'
import { useWiring } from './useWiring'

/** Puts the draft live, with a name and a note for colleagues. */
const current = useCurrentSite()
const router = useRouter()
const { wiring, problem } = useWiring()
const name = ref('')
const note = ref('')
const errors = ref<string[]>([])
const busy = ref(false)
const number = computed(() => (wiring.value?.live ?? 0) + 1)
const mayRelease = computed(() => current.site?.role === 'owner' || current.site?.role === 'publisher')

async function release(): Promise<void> {
  if (!mayRelease.value || busy.value) return
  problem.value = ''
  errors.value = []
  if (!name.value.trim()) return void (problem.value = 'Give the release a name, so that colleagues know what it brings.')
  busy.value = true
  try {
    await api('POST', `${current.path}/releases`, { name: name.value, note: note.value })
    await current.refreshProgress()
    await router.push({ name: 'releases', params: { key: current.key } })
  } catch (error) {
    problem.value = messageOf(error)
    if (error instanceof ApiProblem && error.errors.length > 1) errors.value = error.errors.map((each) => each.message)
  } finally {
    busy.value = false
  }
}

useKeys({ '$mod+Enter': () => void release() })
</script>

<template>
  <div class="screen">
    <div class="screen-head">
      <h1>Release {{ number }}</h1>
    </div>
    <div v-if="problem" class="problem" role="alert">
      <p>{{ problem }}</p>
      <ul v-if="errors.length">
        <li v-for="error in errors" :key="error">{{ error }}</li>
      </ul>
    </div>
    <div v-if="wiring && !wiring.changes.length" class="empty">
      <h2>The draft is what is live</h2>
      <p>There is nothing to release. Changes you make in the wiring wait in the draft until you release them.</p>
      <RouterLink class="button" :to="{ name: 'wiring', params: { key: current.key } }">To the wiring</RouterLink>
    </div>
    <template v-else-if="wiring">
      <h2>What changes for every visitor</h2>
      <ChangeList :changes="wiring.changes" />
      <form @submit.prevent="release">
        <label class="field">Name<input v-model="name" maxlength="200" placeholder="What does it bring?" /></label>
        <label class="field">Note for colleagues<textarea v-model="note" rows="3" maxlength="5000" /></label>
        <p v-if="!mayRelease" class="hint">Your role here is {{ current.site?.role }}; a publisher or owner of the site can release.</p>
        <button class="goes-live" :disabled="!mayRelease || busy">{{ busy ? 'Releasing …' : `Put release ${number} live` }}</button>
        <RouterLink class="button" :to="{ name: 'dry-run', params: { key: current.key } }">Dry run first</RouterLink>
        <RouterLink class="button" :to="{ name: 'wiring', params: { key: current.key } }">Not yet</RouterLink>
        <kbd>Ctrl Enter</kbd>
      </form>
    </template>
  </div>
</template>

<style scoped>
form {
  margin-top: 24px;
  max-width: 560px;
}
form > * + * {
  margin-right: 10px;
}
</style>
