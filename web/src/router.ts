import { createRouter, createWebHistory, type RouteLocationNormalized } from 'vue-router'

import MailView from './views/MailView.vue'

const NAMES: Record<string, string> = {
  find: 'Found',
  history: 'History',
  insights: 'Insights',
  mail: 'Mail',
  rules: 'Rules',
  setup: 'Setup',
}

/** Every folder, message and rule has its own address, so that a reload keeps the place. */
export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/mail' },
    {
      path: '/mail/:kind(folder|label)?/:place(\\d+)?/:message(\\d+)?',
      name: 'mail',
      component: MailView,
    },
    { path: '/mail/find/:message(\\d+)?', name: 'find', component: MailView },
    {
      path: '/setup/:part(accounts|servers|labels|contacts|files|outside|keeping|looks)?',
      name: 'setup',
      component: () => import('./views/SetupView.vue'),
    },
    {
      path: '/history',
      name: 'history',
      component: () => import('./views/HistoryView.vue'),
    },
    {
      path: '/insights',
      name: 'insights',
      component: () => import('./views/InsightsView.vue'),
    },
    {
      path: '/rules/:rule(\\d+|new)?',
      name: 'rules',
      component: () => import('./views/RulesView.vue'),
    },
    { path: '/:rest(.*)', redirect: '/mail' },
  ],
})

let next: string | undefined
function arrived({ fullPath }: RouteLocationNormalized): void {
  if (next === fullPath) next = undefined
}
router.beforeEach(({ fullPath }) => void (next = fullPath))
router.onError((_, to) => {
  arrived(to)
})

/** Whether somewhere is being gone to: what follows an answer may not lead away from there. */
export function isUnderWay(): boolean {
  return next !== undefined
}

router.afterEach((to) => {
  arrived(to)
  document.title = `${NAMES[String(to.name)] ?? 'Mail'} · Mnemic`
})
