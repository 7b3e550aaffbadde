<script setup lang="ts">
import { isDay } from '@acequia/core/days/zone'
import type { Channel } from '@acequia/core/recipes/channelSchema'
import { idErrors } from '@acequia/core/recipes/idErrors'
import { scriptHostsOf, type Recipe } from '@acequia/core/recipes/recipeSchema'
import { fillAddress } from '@acequia/core/recipes/fillTemplate'
import { parse } from 'papaparse'
import { computed, nextTick, ref } from 'vue'
import { api, ApiProblem, messageOf } from '../app/api'
import { download } from '../app/download'
import { agoText, count, times } from '../app/formatting'
import { useLive } from '../app/live'
import { useKeys } from '../app/useKeys'
import { useLoaded } from '../app/useLoaded'
import { useCurrentSite } from '../sites/currentSite'

/** The places where ads are bought, one card each: the ids they know us by, and what their recipe can do. */
type ChannelAnswer = Channel & { revision: number }
const current = useCurrentSite()
const problem = ref('')
const wrong = ref<Record<string, string>>({})
const editing = ref<{ id: string | null; revision?: number; name: string; recipe: string; ids: Record<string, string> }>()
const removing = ref<string | null>(null)
const recipeText = ref('')
const recipeSaid = ref('')
const canEdit = computed(() => current.site?.role !== 'reader')
const mayAddRecipes = computed(() => current.site?.role === 'owner' || current.site?.role === 'publisher')

const { data, error, reload } = useLoaded(async (signal) => {
  const [channels, recipes] = await Promise.all([
    api<ChannelAnswer[]>('GET', `${current.path}/channels`, undefined, signal),
    api<Recipe[]>('GET', `${current.path}/recipes`, undefined, signal),
  ])
  return { channels, recipes }
})
interface Activity {
  id: string
  today: number
  total: number
  failed: number
  last: string | null
  silent: boolean
}
const live = useLive()
const { data: activity } = useLoaded<Activity[]>(
  (signal) => api('GET', `${current.path}/channels:activity`, undefined, signal),
  [() => Math.floor(live.changes / 5)],
  1500,
)
const activityOf = (id: string): Activity | undefined => activity.value?.find((each) => each.id === id)
/** Hosts a recipe wants to load scripts from that nobody has allowed yet. */
const asking = ref<string[]>()
const isOwner = computed(() => current.site?.role === 'owner')
const knowsClicks = (recipe: Recipe): boolean => !recipe.clickId || !!current.site?.clickIds.some((each) => each.parameter === recipe.clickId?.parameter)
const statusOf = (channel: Channel): string | undefined => {
  const page = recipeOf(channel.recipe)?.statusPage
  return page && fillAddress(page, (name) => channel.ids[name.slice(3)])
}
const recipeOf = (id: string): Recipe | undefined => data.value?.recipes.find((each) => each.id === id)
const chosen = computed(() => recipeOf(editing.value?.recipe ?? ''))

async function edit(channel?: ChannelAnswer): Promise<void> {
  wrong.value = {}
  problem.value = ''
  const [first] = data.value?.recipes ?? []
  editing.value = channel
    ? { id: channel.id, revision: channel.revision, name: channel.name, recipe: channel.recipe, ids: { ...channel.ids } }
    : { id: null, name: first?.name ?? '', recipe: first?.id ?? '', ids: {} }
  await nextTick()
  document.querySelector<HTMLElement>('.edit input, .edit select')?.focus()
}

/** Ids that do not look as the recipe says: judged as they are typed, by what the server judges them by. */
const wrongIds = computed(() => new Set(chosen.value && editing.value ? idErrors(chosen.value, editing.value.ids).map(({ path }) => path) : []))

async function save(): Promise<void> {
  if (!editing.value) return
  const { id, ...body } = editing.value
  wrong.value = {}
  problem.value = ''
  try {
    await api(id ? 'PUT' : 'POST', `${current.path}/channels${id ? '/' + id : ''}`, body)
    editing.value = undefined
    await Promise.all([reload(), current.refreshProgress()])
  } catch (cause) {
    problem.value = messageOf(cause)
    if (cause instanceof ApiProblem) for (const each of cause.errors) wrong.value[each.path] = each.message
  }
}

async function remove(id: string): Promise<void> {
  problem.value = ''
  try {
    await api('DELETE', `${current.path}/channels/${id}`)
    removing.value = null
    await Promise.all([reload(), current.refreshProgress()])
  } catch (cause) {
    problem.value = messageOf(cause)
  }
}

async function addRecipe(allow = false): Promise<void> {
  recipeSaid.value = ''
  let recipe: unknown
  try {
    recipe = JSON.parse(recipeText.value)
  } catch (cause) {
    recipeSaid.value = `This is no JSON: ${messageOf(cause)}`
    return
  }
  try {
    const saved = await api<Recipe>('POST', `${current.path}/recipes${allow ? '?allow=yes' : ''}`, recipe)
    recipeText.value = ''
    asking.value = undefined
    recipeSaid.value = `${saved.name} can be connected now.`
    await Promise.all([reload(), allow && current.load()])
  } catch (cause) {
    recipeSaid.value = messageOf(cause)
    asking.value = cause instanceof ApiProblem && Array.isArray(cause.body.hosts) ? (cause.body.hosts as string[]) : undefined
  }
}

async function removeRecipe(id: string): Promise<void> {
  recipeSaid.value = ''
  try {
    await api('DELETE', `${current.path}/recipes/${id}`)
    await reload()
  } catch (cause) {
    recipeSaid.value = messageOf(cause)
  }
}

/** Puts a recipe into the field, to be changed there. */
async function editRecipe(recipe: Recipe): Promise<void> {
  asking.value = undefined
  recipeSaid.value = ''
  recipeText.value = JSON.stringify(recipe, null, 2)
  await nextTick()
  document.querySelector<HTMLElement>('.recipes textarea')?.focus()
}

function exportRecipe(recipe: Recipe): void {
  download(JSON.stringify(recipe, null, 2), `${recipe.id}.json`, 'application/json')
}

/** Adds the recipe's click id to those the site recognises, so that visits get the channel as their source. */
async function recogniseClicks(recipe: Recipe): Promise<void> {
  if (!recipe.clickId || !current.site) return
  const { key: _, createdAt: __, role: ___, ...settings } = current.site
  const { parameter, source, medium } = recipe.clickId
  try {
    await api('PUT', current.path, { ...settings, clickIds: [...settings.clickIds, { parameter, source, medium }] })
    await current.load()
  } catch (cause) {
    problem.value = messageOf(cause)
  }
}

const claimsSaid = ref<Record<string, string>>({})

/** Takes the channel's own figures from a CSV with a column for the day and one for its conversions. */
async function takeClaims(channel: ChannelAnswer, event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (!file) return
  try {
    const { data: lines, meta } = parse<Record<string, string>>(await file.text(), { header: true, skipEmptyLines: true })
    const column = (pattern: RegExp): string | undefined => meta.fields?.find((name) => pattern.test(name.trim()))
    const [day, number] = [column(/^(day|date)$/i), column(/^conversions$/i)]
    if (!day || !number) throw new Error(`The file needs a column "day" and a column "conversions"; it has ${meta.fields?.join(', ') || 'none'}.`)
    const rows = lines.map((line) => ({ day: (line[day] ?? '').trim(), conversions: Number((line[number] ?? '').trim() || NaN) }))
    const bad = rows.findIndex((row) => !isDay(row.day) || !Number.isInteger(row.conversions))
    if (bad >= 0) throw new Error(`Line ${bad + 2} is no day with a whole number; nothing was taken.`)
    await api('POST', `${current.path}/channels/${channel.id}/claims`, rows)
    const sum = rows.reduce((total, row) => total + row.conversions, 0)
    claimsSaid.value = {
      ...claimsSaid.value,
      [channel.id]: `${count(rows.length)} days taken, ${count(sum)} conversions. Where it differs much from ours, the checkup says so.`,
    }
  } catch (cause) {
    claimsSaid.value = { ...claimsSaid.value, [channel.id]: messageOf(cause) }
  }
  input.value = ''
}

async function takeFile(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (file) recipeText.value = await file.text()
}

useKeys({ n: () => void edit() })
</script>

<template>
  <div class="screen">
    <div class="screen-head">
      <h1>Channels</h1>
      <button v-if="canEdit && data?.recipes.length" class="main-action" @click="edit()">Connect a channel <kbd>n</kbd></button>
    </div>
    <p v-if="error" class="problem" role="alert">{{ error }}</p>
    <p v-if="problem && !editing" class="problem" role="alert">{{ problem }}</p>

    <form v-if="editing" class="edit" @submit.prevent="save">
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <label class="field"
        >Kind<select v-model="editing.recipe">
          <option v-for="recipe in data?.recipes" :key="recipe.id" :value="recipe.id">{{ recipe.name }}</option>
        </select></label
      >
      <label class="field"
        >Name<input v-model="editing.name" required maxlength="100" /><small v-if="wrong.name" class="error-text">{{ wrong.name }}</small></label
      >
      <label v-for="each in chosen?.ids" :key="each.name" class="field">
        {{ each.label }}
        <input v-model.trim="editing.ids[each.name]" class="mono" maxlength="200" :placeholder="each.example" />
        <small v-if="editing.ids[each.name] && wrongIds.has(`ids.${each.name}`)" class="error-text">It looks like {{ each.example }}.</small>
        <small v-else-if="wrong[`ids.${each.name}`]" class="error-text">{{ wrong[`ids.${each.name}`] }}</small>
        <small v-else-if="editing.ids[each.name]" class="fine">✓ looks right</small>
        <small v-else>{{ each.help }}</small>
      </label>
      <button class="main-action">{{ editing.id ? 'Save' : 'Connect' }}</button>
      <button type="button" @click="editing = undefined">Cancel</button>
    </form>

    <div v-if="data && !data.channels.length && !editing" class="empty">
      <h2>No channel is connected yet</h2>
      <p v-if="data.recipes.length">
        A channel is a place where you buy ads. Enter once the number it knows you by; every tag that tells it something uses the same.
      </p>
      <p v-else>A recipe says how one kind of channel is told things. Add one below, as a JSON file from the channel or a colleague; then connect it.</p>
      <button v-if="canEdit && data.recipes.length" class="main-action" @click="edit()">Connect the first channel</button>
    </div>
    <div v-else-if="data" class="cards">
      <article v-for="channel in data.channels" :key="channel.id">
        <h2>{{ channel.name }}</h2>
        <dl>
          <template v-for="each in recipeOf(channel.recipe)?.ids" :key="each.name">
            <dt>{{ each.label }}</dt>
            <dd class="mono">{{ channel.ids[each.name] ?? '–' }}</dd>
          </template>
          <dt>Today</dt>
          <dd :title="`${times(activityOf(channel.id)?.total ?? 0)} in the last 28 days, by what loaders recorded`">
            told {{ times(activityOf(channel.id)?.today ?? 0)
            }}<template v-if="activityOf(channel.id)?.last">, last {{ agoText(activityOf(channel.id)!.last!) }}</template>
          </dd>
          <dt v-if="activityOf(channel.id)?.failed">No answer</dt>
          <dd v-if="activityOf(channel.id)?.failed" class="failing">
            {{ count(activityOf(channel.id)!.failed) }} of {{ count(activityOf(channel.id)!.total) }} in 28 days
          </dd>
          <dt>Can be told</dt>
          <dd>
            {{
              Object.values(recipeOf(channel.recipe)?.calls ?? {})
                .map((call) => call?.label)
                .join(', ')
            }}
          </dd>
        </dl>
        <p v-if="activityOf(channel.id)?.silent" class="silent">
          <strong>Silent.</strong> It was told things before, but nothing for days. Is the loader still on the pages?
        </p>
        <p v-if="recipeOf(channel.recipe) && !knowsClicks(recipeOf(channel.recipe)!)" class="hint">
          Its click id <code>{{ recipeOf(channel.recipe)!.clickId!.parameter }}</code> is kept, but visits with it are not counted as
          {{ recipeOf(channel.recipe)!.clickId!.source }} / {{ recipeOf(channel.recipe)!.clickId!.medium }} yet.
          <button v-if="canEdit" class="quiet" @click="recogniseClicks(recipeOf(channel.recipe)!)">Count them so</button>
        </p>
        <p v-if="statusOf(channel)">
          <a :href="statusOf(channel)" target="_blank" rel="noopener noreferrer">Pixel status at {{ channel.name }}</a>
        </p>
        <p v-if="canEdit">
          <label class="button">
            Take its own figures (CSV) …
            <input class="visually-hidden" type="file" accept=".csv,text/csv" @change="takeClaims(channel, $event)" />
          </label>
          <small v-if="claimsSaid[channel.id]" role="status">{{ claimsSaid[channel.id] }}</small>
        </p>
        <template v-if="canEdit">
          <button @click="edit(channel)">Change</button>
          <button v-if="removing !== channel.id" class="quiet danger" @click="removing = channel.id">Remove …</button>
          <button v-else class="danger" @click="remove(channel.id)">Remove {{ channel.name }} now</button>
        </template>
      </article>
    </div>

    <details v-if="data && mayAddRecipes" class="recipes" :open="!data.recipes.length">
      <summary>Recipes: {{ data.recipes.map((each) => each.name).join(', ') || 'none yet' }}</summary>
      <p class="hint">
        A recipe is an open JSON description; a new kind of channel needs no code. Adding one with the same id replaces it; pages get the change with the next
        release. Its shape is published as <a href="/api/v1/recipe.schema.json" target="_blank">JSON Schema</a>.
      </p>
      <ul>
        <li v-for="recipe in data.recipes" :key="recipe.id">
          <strong>{{ recipe.name }}</strong> <code>{{ recipe.id }}</code>
          <span class="hint"
            >{{ recipe.about }} {{ scriptHostsOf(recipe).length ? `Loads scripts from ${scriptHostsOf(recipe).join(', ')}.` : 'Loads no scripts.' }}</span
          >
          <button class="quiet" @click="exportRecipe(recipe)">Export</button>
          <button class="quiet" @click="editRecipe(recipe)">Change</button>
          <button v-if="!data.channels.some((channel) => channel.recipe === recipe.id)" class="quiet danger" @click="removeRecipe(recipe.id)">Remove</button>
        </li>
      </ul>
      <form @submit.prevent="addRecipe()">
        <label class="field"
          >Recipe as JSON<textarea
            v-model="recipeText"
            class="mono"
            rows="8"
            spellcheck="false"
            placeholder='{ "recipe": 1, "id": "…", "name": "…", "calls": { … } }'
          />
        </label>
        <input type="file" accept=".json,application/json" aria-label="Recipe file" @change="takeFile" />
        <button :disabled="!recipeText.trim()">Add the recipe</button>
        <div v-if="asking" class="asking" role="alertdialog" aria-label="Allow scripts from another host">
          <p>{{ recipeSaid }}</p>
          <p v-if="!isOwner" class="hint">Only an owner of the site can allow it; your role is {{ current.site?.role }}.</p>
          <button v-if="isOwner" type="button" class="goes-live" @click="addRecipe(true)">Allow {{ asking.join(', ') }} and add it</button>
          <button type="button" @click="asking = undefined">Leave it</button>
        </div>
        <p v-else-if="recipeSaid" role="status">{{ recipeSaid }}</p>
      </form>
    </details>
  </div>
</template>

<style scoped>
.silent {
  background: var(--ochre-run);
  border-radius: var(--radius);
  padding: 6px 10px;
}
.failing {
  color: var(--loss);
}
.asking {
  border-left: 3px solid var(--clay);
  padding: 4px 14px;
  margin-top: 10px;
}
.recipes ul {
  padding-left: 18px;
}
.cards {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(300px, 1fr));
  gap: 16px;
}
article,
.edit {
  border: 1px solid var(--plaster-3);
  border-left: 4px solid var(--water);
  border-radius: var(--radius);
  padding: 16px 18px;
}
article h2 {
  font: 600 17px/1.2 var(--font);
  color: var(--ink);
}
.edit {
  max-width: 520px;
  margin-bottom: 20px;
}
button + button {
  margin-left: 8px;
}
label.button:focus-within {
  outline: 2px solid var(--water);
  outline-offset: 2px;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 4px 14px;
  margin: 0 0 14px;
}
dt {
  color: var(--ink-2);
}
dd {
  margin: 0;
}
.fine {
  color: var(--water);
}
.recipes {
  margin-top: 34px;
  max-width: 720px;
}
summary {
  cursor: pointer;
  color: var(--ink-2);
}
textarea {
  width: 100%;
}
</style>
