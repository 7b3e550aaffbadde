<script setup lang="ts">
import type { Channel } from '@acequia/core/recipes/channelSchema'
import type { Recipe } from '@acequia/core/recipes/recipeSchema'
import { computed, nextTick, ref } from 'vue'
import { api, ApiProblem, messageOf } from '../app/api'
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
    api<Recipe[]>('GET', '/recipes', undefined, signal),
  ])
  return { channels, recipes }
})
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

/** Whether an id looks as the recipe says; judged as it is typed, with the browser's own patterns, and again by the server. */
function looksRight(pattern: string, value: string): boolean {
  try {
    return new RegExp(pattern).test(value)
  } catch {
    return true
  }
}

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

async function addRecipe(): Promise<void> {
  recipeSaid.value = ''
  let recipe: unknown
  try {
    recipe = JSON.parse(recipeText.value)
  } catch (cause) {
    recipeSaid.value = `This is no JSON: ${messageOf(cause)}`
    return
  }
  try {
    const saved = await api<Recipe>('POST', `${current.path}/recipes`, recipe)
    recipeText.value = ''
    recipeSaid.value = `${saved.name} can be connected now.`
    await reload()
  } catch (cause) {
    recipeSaid.value = messageOf(cause)
  }
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
        <small v-if="editing.ids[each.name] && !looksRight(each.pattern, editing.ids[each.name]!)" class="error-text">It looks like {{ each.example }}.</small>
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
          <dt>Can be told</dt>
          <dd>
            {{
              Object.values(recipeOf(channel.recipe)?.calls ?? {})
                .map((call) => call?.label)
                .join(', ')
            }}
          </dd>
        </dl>
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
        release.
      </p>
      <form @submit.prevent="addRecipe">
        <label class="field"
          >Recipe as JSON<textarea
            v-model="recipeText"
            class="mono"
            rows="6"
            spellcheck="false"
            placeholder='{ "recipe": 1, "id": "…", "name": "…", "calls": { … } }'
          />
        </label>
        <input type="file" accept=".json,application/json" aria-label="Recipe file" @change="takeFile" />
        <button :disabled="!recipeText.trim()">Add the recipe</button>
        <p v-if="recipeSaid" role="status">{{ recipeSaid }}</p>
      </form>
    </details>
  </div>
</template>

<style scoped>
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
