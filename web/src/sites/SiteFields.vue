<script setup lang="ts">
import type { SiteSettings } from '@acequia/core/sites/siteSchema'
import { computed } from 'vue'
import { ElSelectV2 } from '../app/elementPlus'
import { locale } from '../app/formatting'

/** The settings of a site that one has to know to add it. Lists are edited one entry a line. */
const props = defineProps<{ settings: SiteSettings; wrong: Record<string, string> }>()
const emit = defineEmits<{ change: [settings: SiteSettings] }>()

const option = (value: string): { value: string; label: string } => ({ value, label: value })
const ZONES = Intl.supportedValuesOf('timeZone').map(option)
const names = new Intl.DisplayNames(locale, { type: 'currency' })
const CURRENCIES = Intl.supportedValuesOf('currency').map((code) => ({ value: code, label: `${code}  ${names.of(code) ?? ''}` }))
const hosts = computed(() => props.settings.hosts.join('\n'))
const wrongHost = computed(() => Object.entries(props.wrong).find(([path]) => path.startsWith('hosts'))?.[1])
const put = (part: Partial<SiteSettings>): void => emit('change', { ...props.settings, ...part })
const lines = (event: Event): string[] =>
  (event.target as HTMLTextAreaElement).value
    .split(/[\n,]/)
    .map((line) =>
      line
        .trim()
        .replace(/^https?:\/\//, '')
        .replace(/\/.*$/, ''),
    )
    .filter(Boolean)
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
    <small v-else
      >One a line. A leading www. makes no difference; subdomains only count where written as *.example.com. Events from other hosts are refused.</small
    >
  </label>
  <div class="field">
    <span id="zone-label">Time zone</span>
    <ElSelectV2
      :model-value="settings.timeZone"
      :options="ZONES"
      filterable
      aria-labelledby="zone-label"
      aria-label="Time zone"
      @update:model-value="put({ timeZone: String($event) })"
    />
    <small v-if="wrong.timeZone" class="error-text">{{ wrong.timeZone }}</small>
    <small v-else class="hint">Days begin at midnight there.</small>
  </div>
  <div class="field">
    <span id="currency-label">Currency</span>
    <ElSelectV2
      :model-value="settings.currency"
      :options="CURRENCIES"
      filterable
      aria-labelledby="currency-label"
      aria-label="Currency"
      @update:model-value="put({ currency: String($event) })"
    />
    <small v-if="wrong.currency" class="error-text">{{ wrong.currency }}</small>
    <small v-else class="hint">All values are added up in it.</small>
  </div>
</template>

<style scoped>
input,
textarea,
.el-select {
  max-width: 420px;
}
div.field {
  display: grid;
  gap: 4px;
  margin-bottom: 14px;
  font-weight: 600;
}
</style>
