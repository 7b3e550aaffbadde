<script setup lang="ts">
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ApiProblem, messageOf } from '../app/api'
import { useSession } from '../app/session'
import AcequiaMark from '../frame/AcequiaMark.vue'

/** Sign-in; on the very first visit, creation of the owner. */
const session = useSession()
const router = useRouter()
const route = useRoute()
const name = ref('')
const email = ref('')
const password = ref('')
const problem = ref('')
const wrong = ref<Record<string, string>>({})
const busy = ref(false)

async function submit(): Promise<void> {
  busy.value = true
  problem.value = ''
  wrong.value = {}
  try {
    if (session.needsOwner) await session.createOwner({ name: name.value, email: email.value, password: password.value })
    else await session.signIn(email.value, password.value)
    const then = typeof route.query.then === 'string' && /^\/(?!\/)/.test(route.query.then) ? route.query.then : '/'
    await router.push(then)
  } catch (error) {
    if (error instanceof ApiProblem) for (const each of error.errors) wrong.value[each.path] = each.message
    if (!Object.keys(wrong.value).length) problem.value = messageOf(error)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <main class="sign-in">
    <AcequiaMark />
    <h1>{{ session.needsOwner ? 'Welcome. Who owns this?' : 'Sign in' }}</h1>
    <p v-if="session.needsOwner" class="hint">Nobody has an account here yet. The first person becomes the owner and can add sites.</p>
    <form @submit.prevent="submit">
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <label v-if="session.needsOwner" class="field">
        Your name
        <input v-model="name" name="name" autocomplete="name" required maxlength="200" />
        <small v-if="wrong.name" class="error-text">{{ wrong.name }}</small>
      </label>
      <label class="field">
        E-mail address
        <input v-model="email" name="email" type="email" autocomplete="username" required maxlength="255" />
        <small v-if="wrong.email" class="error-text">{{ wrong.email }}</small>
      </label>
      <label class="field">
        Password
        <input
          v-model="password"
          name="password"
          type="password"
          :autocomplete="session.needsOwner ? 'new-password' : 'current-password'"
          required
          :minlength="session.needsOwner ? 10 : 1"
          maxlength="1000"
        />
        <small v-if="wrong.password" class="error-text">{{ wrong.password }}</small>
        <small v-else-if="session.needsOwner">At least 10 characters; a short sentence is easiest to keep.</small>
      </label>
      <button class="main-action" :disabled="busy">{{ session.needsOwner ? 'Create the owner' : 'Sign in' }}</button>
    </form>
  </main>
</template>

<style scoped>
.sign-in {
  max-width: 380px;
  margin: 12vh auto 0;
  padding: 0 20px;
}
h1 {
  margin: 28px 0 12px;
}
form {
  margin-top: 18px;
}
input {
  font-size: 15px;
  padding: 9px 12px;
}
</style>
