<script setup lang="ts">
import { installationText, snippetOf } from '@acequia/core/installation/guides'
import { computed, nextTick, ref } from 'vue'
import { api, ApiProblem, messageOf } from '../app/api'
import { useSession } from '../app/session'
import { download } from '../app/download'
import { useCurrentSite } from './currentSite'

/** The loader to put on every page: to copy, as a text file, or by mail to whoever keeps the site. */
const current = useCurrentSite()
const session = useSession()
const said = ref('')
const problem = ref('')
const mailing = ref<{ to: string; note: string }>()
const busy = ref(false)
const canMail = ref(true)
const snippet = computed(() => snippetOf(location.origin, current.key))
const text = computed(() => installationText(current.site?.name ?? '', location.origin, current.key, current.site?.scriptHosts ?? []))
const mailto = computed(() => `mailto:?subject=${encodeURIComponent(`The loader for ${current.site?.name ?? ''}`)}&body=${encodeURIComponent(text.value)}`)

async function copy(): Promise<void> {
  try {
    await navigator.clipboard.writeText(snippet.value)
    said.value = 'Copied'
  } catch {
    said.value = 'The browser did not allow copying; mark the line and copy it by hand'
  }
  setTimeout(() => (said.value = ''), 3000)
}

function save(): void {
  download(text.value, `loader-${current.key}.txt`)
}

async function openMail(): Promise<void> {
  problem.value = ''
  mailing.value = {
    to: '',
    note: `Could you please put this on all pages of ${current.site?.name ?? 'the site'}?\n\nThank you,\n${session.person?.name ?? ''}`,
  }
  canMail.value = await api<{ canSend: boolean }>('GET', `${current.path}/loader:mail`).then(
    (answer) => answer.canSend,
    () => true,
  )
  await nextTick()
  document.querySelector<HTMLElement>('.mail input')?.focus()
}

async function send(): Promise<void> {
  if (!mailing.value) return
  busy.value = true
  problem.value = ''
  try {
    await api('POST', `${current.path}/loader:mail`, mailing.value)
    said.value = `Sent to ${mailing.value.to}`
    mailing.value = undefined
  } catch (error) {
    problem.value = error instanceof ApiProblem && error.errors[0] ? error.errors[0].message : messageOf(error)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <section>
    <h2>The loader</h2>
    <p>One line in the <code>&lt;head&gt;</code> of every page, once.</p>
    <pre tabindex="0" aria-label="The loader's line"><code>{{ snippet }}</code></pre>
    <button class="main-action" @click="copy">Copy</button>
    <button @click="save">Download as text</button>
    <button v-if="current.site?.role !== 'reader'" @click="openMail">Mail to the developer …</button>
    <span class="said" role="status">{{ said }}</span>
    <form v-if="mailing" class="mail" @submit.prevent="send">
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <p v-if="!canMail" class="hint">This server is not set up to send mail. <a :href="mailto">Open it in your own mail program</a>, or download the text.</p>
      <template v-else>
        <label class="field"
          >To<input v-model="mailing.to" type="email" required maxlength="255" placeholder="developer@site.example" autocomplete="off"
        /></label>
        <label class="field"
          >Your words<textarea v-model="mailing.note" rows="4" maxlength="5000" /><small
            >The line and what a strict site needs stand below them by themselves.</small
          ></label
        >
        <button class="main-action" :disabled="busy">{{ busy ? 'Sending …' : 'Send' }}</button>
      </template>
      <button type="button" @click="mailing = undefined">Cancel</button>
    </form>
  </section>
</template>

<style scoped>
pre {
  background: var(--plaster-2);
  border: 1px solid var(--plaster-3);
  border-left: 4px solid var(--water);
  border-radius: var(--radius);
  padding: 14px 16px;
  margin: 0 0 10px;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
button + button {
  margin-left: 8px;
}
.said {
  margin-left: 10px;
  color: var(--water);
}
.mail {
  margin-top: 14px;
  max-width: 520px;
  border-left: 4px solid var(--water);
  padding: 4px 16px;
}
</style>
