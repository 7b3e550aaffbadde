<script setup lang="ts">
import { computed, ref } from 'vue'
import { useCurrentSite } from './currentSite'

/** The loader to put on every page: to copy, or as a text file for whoever keeps the site. */
const current = useCurrentSite()
const said = ref('')
const address = computed(() => `${location.origin}/l/${current.key}.js`)
const snippet = computed(() => `<${'script'} async src="${address.value}"></${'script'}>`)

async function copy(): Promise<void> {
  try {
    await navigator.clipboard.writeText(snippet.value)
    said.value = 'Copied'
  } catch {
    said.value = 'The browser did not allow copying; mark the line and copy it by hand'
  }
  setTimeout(() => (said.value = ''), 3000)
}

function download(): void {
  const text = `Acequia: the loader of ${current.site?.name ?? ''}

Please put this one line into the <head> of every page, best in the template
that all pages share, once, exactly as it stands:

${snippet.value}

It loads without holding up the page, and does nothing when it fails.

If the site sends a Content-Security-Policy, it needs:
  script-src  ${location.origin}
  connect-src ${location.origin}

If the site has pages for visitors without scripts, this counts them there:
<noscript><img src="${location.origin}/c/${current.key}.gif" alt="" width="1" height="1"></noscript>
`
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([text], { type: 'text/plain' }))
  link.download = `loader-${current.key}.txt`
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 1000)
}
</script>

<template>
  <section>
    <h2>The loader</h2>
    <p>One line in the <code>&lt;head&gt;</code> of every page, once.</p>
    <pre tabindex="0" aria-label="The loader's line"><code>{{ snippet }}</code></pre>
    <button class="main-action" @click="copy">Copy</button>
    <button @click="download">Download as text</button>
    <span class="said" role="status">{{ said }}</span>
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
</style>
