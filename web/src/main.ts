import '@fontsource-variable/figtree/index.css'
import '@fontsource-variable/fraunces/index.css'
import '@fontsource-variable/jetbrains-mono/index.css'
import './app/tokens.css'
import './app/base.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import { RouterView } from 'vue-router'
import { onSignedOut } from './app/api'
import { router } from './app/router'
import { useSession } from './app/session'
import { useTheme } from './app/theme'

useTheme()
const app = createApp(RouterView)
app.use(createPinia())
app.use(router)
onSignedOut(() => {
  const session = useSession()
  if (!session.person) return
  session.person = null
  void router.push({ name: 'sign-in', query: { then: router.currentRoute.value.fullPath } })
})
app.mount('#app')
