<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useLive } from '../app/live'
import { useRange } from '../app/range'
import { useSession } from '../app/session'
import { useKeys } from '../app/useKeys'
import { useCurrentSite } from '../sites/currentSite'
import AcequiaMark from './AcequiaMark.vue'
import DraftStrip from './DraftStrip.vue'
import KeyList from './KeyList.vue'
import RangePicker from './RangePicker.vue'
import SearchBox from './SearchBox.vue'
import StationChannel from './StationChannel.vue'

/** The frame of every screen of a site. */
const current = useCurrentSite()
const session = useSession()
const live = useLive()
const range = useRange()
const router = useRouter()
const search = ref<InstanceType<typeof SearchBox>>()
const keysShown = ref(false)
const initials = computed(() =>
  (session.person?.name ?? '')
    .split(/\s+/)
    .map((part) => part[0])
    .join('')
    .slice(0, 2)
    .toUpperCase(),
)

watch(
  () => current.key,
  (key) => live.follow(key),
  { immediate: true },
)
onBeforeUnmount(() => live.stop())

useKeys({
  '/': () => void search.value?.show(),
  '$mod+k': () => void search.value?.show(),
  '[': () => range.move(-1),
  ']': () => range.move(1),
  r: () => void router.push({ name: 'rehearsal', params: { key: current.key } }),
  'Shift+?': () => (keysShown.value = !keysShown.value),
})

async function signOut(): Promise<void> {
  live.stop()
  await session.signOut()
  await router.push({ name: 'sign-in' })
}

function openSite(event: Event): void {
  const key = (event.target as HTMLSelectElement).value
  void router.push(key ? { name: 'today', params: { key } } : { name: 'new-site' })
}
</script>

<template>
  <a class="visually-hidden" href="#content">To the content</a>
  <header class="bar no-print">
    <RouterLink :to="{ name: 'today', params: { key: current.key } }" class="home" aria-label="Acequia, Today"><AcequiaMark /></RouterLink>
    <select :value="current.key" class="site" aria-label="Site" @change="openSite">
      <option v-for="site in current.sites" :key="site.key" :value="site.key">{{ site.name }}</option>
      <option value="">New site …</option>
    </select>
    <span class="grow" />
    <RangePicker />
    <SearchBox ref="search" @keys="keysShown = true" />
    <span
      class="pulse"
      :class="{ lost: !live.connected }"
      :title="live.connected ? 'Events that came in the last minute' : 'The live stream is interrupted; it reconnects by itself'"
    >
      <span class="drop" aria-hidden="true" />{{ live.connected ? `${live.perMinute ?? 0} a minute` : 'waiting …' }}
    </span>
    <details class="person">
      <summary :aria-label="session.person?.name ?? 'You'">{{ initials }}</summary>
      <div class="menu">
        <strong>{{ session.person?.name }}</strong>
        <span class="hint">{{ session.person?.email }}</span>
        <button @click="signOut">Sign out</button>
      </div>
    </details>
  </header>
  <div class="body">
    <StationChannel />
    <main id="content" class="content" tabindex="-1">
      <DraftStrip />
      <RouterView v-slot="{ Component, route: shown }">
        <component :is="Component" :key="shown.path" />
      </RouterView>
    </main>
  </div>
  <KeyList v-if="keysShown" @close="keysShown = false" />
</template>

<style scoped>
.bar {
  position: sticky;
  top: 0;
  z-index: 30;
  height: 48px;
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 0 16px;
  background: var(--plaster);
  border-bottom: 1px solid var(--plaster-3);
}
.home {
  text-decoration: none;
}
.site {
  border-color: transparent;
  font-weight: 600;
  max-width: 240px;
  padding-left: 4px;
}
.site:hover {
  border-color: var(--plaster-3);
}
.grow {
  flex: 1;
}
.pulse {
  display: inline-flex;
  align-items: center;
  gap: 7px;
  color: var(--water);
  font-weight: 600;
  font-size: 13px;
  white-space: nowrap;
  min-width: 92px;
}
.drop {
  width: 9px;
  height: 9px;
  background: currentcolor;
  border-radius: 0 50% 50% 50%;
  transform: rotate(45deg);
}
.lost {
  color: var(--ochre);
}
.person {
  position: relative;
}
summary {
  list-style: none;
  width: 28px;
  height: 28px;
  border-radius: 50%;
  display: grid;
  place-items: center;
  background: var(--clay-run);
  color: var(--ink);
  font-weight: 700;
  font-size: 11px;
  cursor: pointer;
}
.menu {
  position: absolute;
  right: 0;
  top: 36px;
  display: grid;
  gap: 6px;
  min-width: 210px;
  padding: 14px;
  background: var(--plaster);
  border: 1px solid var(--water);
  border-radius: var(--radius);
}
.body {
  display: flex;
  min-height: calc(100vh - 48px);
}
.content {
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.content > :deep(*:last-child) {
  flex: 1;
}
.content:focus {
  outline: none;
}
@media (max-width: 1100px) {
  .site {
    max-width: 150px;
  }
}
/* On a phone everything stays, in two rows. */
@media (max-width: 720px) {
  .bar {
    height: auto;
    flex-wrap: wrap;
    gap: 8px 12px;
    padding: 8px 12px;
  }
  .site {
    flex: 1;
    min-width: 0;
  }
  .grow {
    flex-basis: 100%;
    height: 0;
    order: 1;
  }
  .bar > :deep(.range),
  .bar > :deep(.search) {
    order: 2;
  }
}
</style>
