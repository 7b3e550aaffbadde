<script setup lang="ts">
import { relaySchema, type Relay } from '@acequia/core/wiring/relaySchema'
import { computed, nextTick, ref } from 'vue'
import { useKeys } from '../app/useKeys'
import { useCurrentSite } from '../sites/currentSite'
import { useWiring } from '../wiring/useWiring'

/** Links that pass through us: they count, fire tags, and lead on. */
const current = useCurrentSite()
const { wiring, problem, change } = useWiring()
const canEdit = computed(() => current.site?.role !== 'reader')
const editing = ref<{ was: string | null; name: string; targets: string; carry: string; waitMs: number; note: string }>()
const said = ref('')
const addressOf = (relay: Relay): string => `${location.origin}/r/${current.key}/${relay.name}`
const usedBy = (relay: Relay): number => (wiring.value?.triggers ?? []).filter(({ moment }) => moment.type === 'relay' && moment.relay === relay.name).length
const changeOf = (name: string): string | undefined => wiring.value?.changes.find((each) => each.what === 'relay' && each.id === name)?.change

async function edit(relay?: Relay): Promise<void> {
  problem.value = ''
  editing.value = {
    was: relay?.name ?? null,
    name: relay?.name ?? '',
    targets: relay?.targets.join('\n') ?? '',
    carry: relay?.carry.join(', ') ?? 'utm_source, utm_medium, utm_campaign',
    waitMs: relay?.waitMs ?? 800,
    note: relay?.note ?? '',
  }
  await nextTick()
  document.querySelector<HTMLElement>('.edit input')?.focus()
}

async function save(): Promise<void> {
  if (!editing.value) return
  const { was, name, targets, carry, waitMs, note } = editing.value
  const words = (text: string, by: RegExp): string[] =>
    text
      .split(by)
      .map((each) => each.trim())
      .filter(Boolean)
  const checked = relaySchema.safeParse({ name, targets: words(targets, /\n/), carry: words(carry, /[\s,]+/), waitMs: Number(waitMs), ...(note && { note }) })
  if (!checked.success) return void (problem.value = checked.error.issues[0]?.message ?? 'Something is not filled in right.')
  const saved = await change(`the relay link “${name}”`, (before) => ({
    relays: was === null ? [...before.relays, checked.data] : before.relays.map((each) => (each.name === was ? checked.data : each)),
    triggers: before.triggers.map((trigger) =>
      trigger.moment.type === 'relay' && trigger.moment.relay === was ? { ...trigger, moment: { ...trigger.moment, relay: checked.data.name } } : trigger,
    ),
  }))
  if (saved) editing.value = undefined
}

const remove = (relay: Relay): Promise<boolean> =>
  change(`the removal of “${relay.name}”`, ({ relays }) => ({ relays: relays.filter((each) => each.name !== relay.name) }))

async function copy(relay: Relay): Promise<void> {
  try {
    await navigator.clipboard.writeText(addressOf(relay))
    said.value = `The address of ${relay.name} was copied`
  } catch {
    said.value = 'The browser did not allow copying; mark the address and copy it by hand'
  }
}

useKeys({ n: () => void edit(), '$mod+s': () => void save() })
</script>

<template>
  <div class="screen">
    <div class="screen-head">
      <h1>Relay links</h1>
      <span class="said" role="status">{{ said }}</span>
      <button v-if="canEdit" class="main-action" @click="edit()">New relay link <kbd>n</kbd></button>
    </div>
    <p class="about">
      For ways without a thank-you page: link to an address of ours instead. It counts the passage, fires its tags, and leads on within a bounded time, whatever
      the channels do. It only ever leads to the targets listed here.
    </p>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <form v-if="editing" class="edit" @submit.prevent="save">
      <label class="field">Name<input v-model.trim="editing.name" class="mono" maxlength="60" placeholder="lodge" /></label>
      <label class="field"
        >Leads to<textarea v-model="editing.targets" class="mono" rows="2" placeholder="https://partner.example/rooms" /><small
          >One whole address a line. The first is where it leads; another of them can be chosen with <code>?to=</code>.</small
        ></label
      >
      <label class="field"
        >Parameters carried on<input v-model="editing.carry" class="mono" maxlength="1000" /><small>Apart by commas. Others stay behind.</small></label
      >
      <label class="field">Holds visitors for at most (ms)<input v-model="editing.waitMs" type="number" min="0" max="5000" step="50" /></label>
      <label class="field">Note for colleagues<textarea v-model="editing.note" rows="2" maxlength="5000" /></label>
      <button class="main-action">Save in the draft</button>
      <button type="button" @click="editing = undefined">Cancel</button>
    </form>
    <div v-if="wiring && !wiring.relays.length && !editing" class="empty">
      <h2>No link passes through us yet</h2>
      <p>
        A partner's booking page, a shop of somebody else's, a download elsewhere: where you cannot place the loader behind a link, let the link pass through
        here.
      </p>
      <button v-if="canEdit" class="main-action" @click="edit()">Make the first relay link</button>
    </div>
    <article v-for="relay in wiring?.relays" :key="relay.name">
      <h2>
        {{ relay.name }} <span v-if="changeOf(relay.name)" class="changed">{{ changeOf(relay.name) }}: works with the next release</span>
      </h2>
      <p>
        <code>{{ addressOf(relay) }}</code> →
        <template v-for="(target, index) in relay.targets" :key="target"
          ><template v-if="index"> or </template><code>{{ target }}</code></template
        >
      </p>
      <p class="hint">
        Holds at most {{ relay.waitMs }} ms; carries {{ relay.carry.join(', ') || 'nothing' }}; {{ usedBy(relay) || 'no' }}
        {{ usedBy(relay) === 1 ? 'trigger waits' : 'triggers wait' }} for it.
        {{ relay.note }}
      </p>
      <button @click="copy(relay)">Copy the address</button>
      <template v-if="canEdit">
        <button @click="edit(relay)">Change</button>
        <button v-if="!usedBy(relay)" class="quiet danger" @click="remove(relay)">Remove</button>
      </template>
    </article>
  </div>
</template>

<style scoped>
.about {
  max-width: 76ch;
}
article,
.edit {
  border: 1px solid var(--plaster-3);
  border-left: 4px solid var(--water);
  border-radius: var(--radius);
  padding: 14px 18px;
  max-width: 820px;
  margin-bottom: 14px;
}
article h2 {
  font: 600 17px/1.2 var(--font);
  color: var(--ink);
}
code {
  overflow-wrap: anywhere;
}
.changed {
  font-size: 12px;
  background: var(--clay-run);
  border-radius: 3px;
  padding: 1px 6px;
}
button + button {
  margin-left: 8px;
}
.said {
  color: var(--water);
}
</style>
