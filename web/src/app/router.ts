import { createRouter, createWebHistory } from 'vue-router'
import { useCurrentSite } from '../sites/currentSite'
import { useSession } from './session'

/** Every screen has an address of its own, so that Back, reload and a shared link work. */
export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'home', component: () => import('../sites/HomeRedirect.vue') },
    { path: '/sign-in', name: 'sign-in', component: () => import('../people/SignIn.vue'), meta: { open: true } },
    { path: '/new-site', name: 'new-site', component: () => import('../sites/NewSite.vue') },
    {
      path: '/s/:key',
      component: () => import('../frame/AppFrame.vue'),
      children: [
        { path: '', redirect: { name: 'today' } },
        { path: 'today', name: 'today', component: () => import('../today/TodayScreen.vue') },
        { path: 'site', name: 'site', component: () => import('../sites/SiteScreen.vue') },
        { path: 'site/settings', name: 'site-settings', component: () => import('../sites/SettingsScreen.vue') },
        { path: 'channels', name: 'channels', component: () => import('../channels/ChannelsScreen.vue') },
        { path: 'wiring', name: 'wiring', component: () => import('../wiring/WiringScreen.vue') },
        { path: 'wiring/trigger/:id', name: 'trigger', component: () => import('../wiring/TriggerEditor.vue') },
        { path: 'wiring/tag/:id', name: 'tag', component: () => import('../wiring/TagEditor.vue') },
        { path: 'wiring/reading/:name', name: 'reading', component: () => import('../readings/ReadingEditor.vue') },
        { path: 'wiring/relays', name: 'relays', component: () => import('../relays/RelaysScreen.vue') },
        { path: 'wiring/file', name: 'wiring-file', component: () => import('../wiring/WiringFile.vue') },
        { path: 'wiring/dry-run', name: 'dry-run', component: () => import('../wiring/DryRunScreen.vue') },
        { path: 'wiring/release', name: 'new-release', component: () => import('../wiring/NewRelease.vue') },
        { path: 'rehearsal', name: 'rehearsal', component: () => import('../rehearsal/RehearsalScreen.vue') },
        { path: 'rehearsal/:id(\\d+)', name: 'kept-rehearsal', component: () => import('../rehearsal/RehearsalScreen.vue') },
        { path: 'releases', name: 'releases', component: () => import('../wiring/ReleasesScreen.vue') },
        { path: 'checkup', name: 'checkup', component: () => import('../checkup/CheckupScreen.vue') },
        { path: 'goals', name: 'goals', component: () => import('../goals/GoalsScreen.vue') },
        { path: 'goals/new', name: 'new-goal', component: () => import('../goals/GoalEditor.vue') },
        { path: 'goals/elsewhere', name: 'elsewhere', component: () => import('../elsewhere/ElsewhereScreen.vue') },
        { path: 'goals/:id', name: 'goal', component: () => import('../goals/GoalDetail.vue') },
        { path: 'funnels', name: 'funnels', component: () => import('../funnels/FunnelsScreen.vue') },
        { path: 'funnels/:id', name: 'funnel', component: () => import('../funnels/FunnelScreen.vue') },
        { path: 'visitors/:visitor', name: 'visitor', component: () => import('../visitors/VisitorScreen.vue') },
        { path: 'goals/:id/edit', name: 'edit-goal', component: () => import('../goals/GoalEditor.vue') },
      ],
    },
    { path: '/:rest(.*)*', name: 'nowhere', component: () => import('../frame/NowhereScreen.vue') },
  ],
})

router.beforeEach(async (to) => {
  // The code of a screen is fetched while the server says who is here, not after.
  for (const { components } of to.matched) for (const component of Object.values(components ?? {})) startLoading(component)
  const session = useSession()
  await session.ready()
  if (!session.person && !to.meta.open) return { name: 'sign-in', query: to.path === '/' ? {} : { then: to.fullPath } }
  if (session.person && to.name === 'sign-in') return { name: 'home' }
  const { key } = to.params
  if (typeof key === 'string' && !(await useCurrentSite().open(key))) return { name: 'home' }
  return true
})

/** Begins to fetch a component that is loaded when needed; whether that works is for the router to find out, which asks again. */
function startLoading(component: unknown): void {
  if (typeof component === 'function') void (component as () => Promise<unknown>)().catch(() => undefined)
}
