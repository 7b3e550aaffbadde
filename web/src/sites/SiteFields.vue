<script setup lang="ts">
import type { SiteSettings } from '@acequia/core/sites/siteSchema'
import { computed } from 'vue'

/** The settings of a site that one has to know to add it. Lists are edited one entry a line. */
const props = defineProps<{ settings: SiteSettings; wrong: Record<string, string> }>()
const emit = defineEmits<{ change: [settings: SiteSettings] }>()

const ZONES = Intl.supportedValuesOf('timeZone')
const CURRENCIES = Intl.supportedValuesOf('currency')
const hosts = computed(() => props.settings.hosts.join('\n'))
const wrongHost = computed(() => Object.entries(props.wrong).find(([path]) => path.startsWith('hosts'))?.[1])
const put = (part: Partial<SiteSettings>): void => emit('change', { ...props.settings, ...part })
const lines = (event: Event): string[] => (event.target as HTMLTextAreaElement).value.split(/[\n,]/).map((line) => line.trim().replace(/^https?:\/\//, '').replace(/\/.*$/, '')).filter(Boolean)
</script>

<template>
  <label class="field">
    Name
    <input :value="settings.name" maxlength="200" required @input="put({ name: ($event.target as HTMLInputElement).value })" />
    <small v-if="wrong.name" class="error-text">{{ wrong.name }}</small>
  </label>
  <label class="field">
    Hosts
    <textarea :value="hosts" class="mono" rows="3" placeholder="www.example.com" @change="put({ hosts: lines($event) })" />
    <small v-if="wrongHost" class="error-text">{{ wrongHost }}</small>
    <small v-else>One a line. A leading www. makes no difference; subdomains only count where written as *.example.com. Events from other hosts are refused.</small>
  </label>
  <label class="field">
    Time zone
    <input :value="settings.timeZone" list="zones" @change="put({ timeZone: ($event.target as HTMLInputElement).value })" />
    <small v-if="wrong.timeZone" class="error-text">{{ wrong.timeZone }}</small>
    <small v-else>Days begin at midnight there.</small>
  </label>
  <datalist id="zones"><option v-for="zone in ZONES" :key="zone" :value="zone" /></datalist>
  <label class="field">
    Currency
    <input :value="settings.currency" list="currencies" maxlength="3" @change="put({ currency: ($event.target as HTMLInputElement).value.toUpperCase() })" />
    <small v-if="wrong.currency" class="error-text">{{ wrong.currency }}</small>
  </label>
  <datalist id="currencies"><option v-for="code in CURRENCIES" :key="code" :value="code" /></datalist>
</template>

<style scoped>
input,
textarea {
  max-width: 420px;
}
</style>
