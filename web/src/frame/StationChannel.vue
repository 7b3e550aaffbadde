<script setup lang="ts">
import { computed, watch } from 'vue'
import { useRoute } from 'vue-router'
import { useCheckup } from '../checkup/checkup'
import { useCurrentSite } from '../sites/currentSite'
import { STATIONS } from './stations'

/** The vertical channel of stations; water stands in it up to the first that still lacks something. */
const current = useCurrentSite()
const route = useRoute()
const checkup = useCheckup()
watch(
  () => [current.key, current.progress?.tags, current.progress?.goals, current.progress?.draftDiffers],
  () => current.key && checkup.checkSoon(current.key),
  { immediate: true },
)

const stations = computed(() => {
  let flows = true
  return STATIONS.map((station, index) => {
    const lacks = current.progress ? station.lacks(current.progress) : null
    const reached = flows
    if (lacks) flows = false
    return {
      ...station,
      lacks,
      reached,
      here: route.name === station.route || (station.also ?? []).includes(String(route.name)),
      opens: STATIONS[index - 1]?.reach !== station.reach,
      differs: station.route === 'wiring' ? (current.progress?.draftDiffers ?? 0) : 0,
      pressing: station.route === 'checkup' ? checkup.pressing : 0,
    }
  })
})
</script>

<template>
  <nav class="channel" aria-label="Stations">
    <template v-for="station in stations" :key="station.route">
      <div v-if="station.opens" class="reach" :class="{ filled: station.reached }">{{ station.reach }}</div>
      <RouterLink
        :to="{ name: station.route, params: { key: current.key } }"
        class="station"
        :class="{ filled: station.reached, here: station.here, lacking: station.lacks }"
        :aria-current="station.here ? 'page' : undefined"
        :title="station.lacks ? `${station.name}: ${station.lacks}` : station.name"
      >
        <span class="gate" aria-hidden="true" />
        <span class="name">{{ station.name }}</span>
        <span v-if="station.lacks" class="badge" :title="station.lacks"
          ><span class="visually-hidden">{{ station.lacks }}</span
          ><span aria-hidden="true">!</span></span
        >
        <span v-else-if="station.pressing" class="badge" title="Findings that need attention"
          >{{ station.pressing }}<span class="visually-hidden"> findings need attention</span></span
        >
        <span v-else-if="station.differs" class="badge" title="The draft differs from what is live"
          >{{ station.differs }}<span class="visually-hidden"> changes are not live</span></span
        >
      </RouterLink>
    </template>
  </nav>
</template>

<style scoped>
.channel {
  width: 158px;
  flex: none;
  padding: 22px 0;
  border-right: 1px solid var(--plaster-3);
  position: sticky;
  top: 48px;
  align-self: flex-start;
  height: calc(100vh - 48px);
  overflow: auto;
}
.reach,
.station {
  position: relative;
  display: flex;
  align-items: center;
  padding: 0 12px 0 46px;
  min-height: 31px;
}
.reach {
  font-size: 12px;
  color: var(--ink-3);
  font-weight: 500;
}
.reach:not(:first-child) {
  min-height: 42px;
  padding-top: 11px;
}
/* The channel itself: a bed, and water as far as the work has come. */
.reach::before,
.station::before {
  content: '';
  position: absolute;
  left: 25px;
  width: 5px;
  top: 0;
  bottom: 0;
  background: var(--plaster-3);
}
.filled::before {
  background: var(--water-2);
}
.reach:first-child::before {
  border-radius: 3px 3px 0 0;
}
.station {
  color: var(--ink-2);
  text-decoration: none;
}
.station:hover {
  color: var(--ink);
}
.gate {
  position: absolute;
  left: 20px;
  width: 15px;
  height: 3px;
  background: var(--ink-3);
}
.filled .gate {
  background: var(--water);
}
.here {
  color: var(--ink);
  font-weight: 700;
}
.here .gate {
  left: 18px;
  width: 19px;
  height: 12px;
  border-radius: 2px;
  background: var(--water);
}
.badge {
  margin-left: auto;
  font-size: 11px;
  font-weight: 700;
  background: var(--ochre-run);
  color: var(--ochre);
  border-radius: 9px;
  padding: 1px 7px;
}
@media (max-width: 1100px) {
  .channel {
    width: 108px;
  }
  .reach,
  .station {
    padding-left: 30px;
    padding-right: 4px;
    font-size: 12.5px;
  }
  .reach::before,
  .station::before {
    left: 13px;
  }
  .gate {
    left: 8px;
  }
  .here .gate {
    left: 6px;
  }
  .badge {
    padding: 0 4px;
  }
}
</style>
