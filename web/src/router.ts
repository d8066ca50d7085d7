import { createRouter, createWebHistory, type RouteLocationNormalized } from 'vue-router';
import { useSession } from './stores/session.ts';

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/topologies' },
    {
      path: '/sign-in',
      name: 'sign-in',
      component: () => import('./views/entrance/SignIn.vue'),
      meta: { open: true },
    },
    { path: '/topologies', name: 'topologies', component: () => import('./views/entrance/Topologies.vue') },
    {
      path: '/t/:slug',
      component: () => import('./views/Workspace.vue'),
      children: [
        { path: '', redirect: (to) => ({ name: 'fan-out', params: to.params }) },
        { path: 'declare', name: 'declare', component: () => import('./views/declare/Declare.vue') },
        { path: 'declared', name: 'declared', component: () => import('./views/declared/Declared.vue') },
        { path: 'fan-out', name: 'fan-out', component: () => import('./views/fanout/FanOut.vue') },
        { path: 'trace', name: 'trace', component: () => import('./views/trace/Trace.vue') },
        { path: 'coverage', name: 'coverage', component: () => import('./views/coverage/Coverage.vue') },
        { path: 'findings', name: 'findings', component: () => import('./views/findings/Findings.vue') },
        {
          path: 'expectations',
          name: 'expectations',
          component: () => import('./views/expectations/Expectations.vue'),
        },
        { path: 'access', name: 'access', component: () => import('./views/access/Access.vue') },
        { path: 'revisions', name: 'revisions', component: () => import('./views/revisions/Revisions.vue') },
        { path: 'review', name: 'review', component: () => import('./views/review/Review.vue') },
        { path: 'compare', name: 'compare', component: () => import('./views/compare/Compare.vue') },
        { path: 'people', name: 'people', component: () => import('./views/people/People.vue') },
        { path: 'rollout', name: 'rollout', component: () => import('./views/rollout/Rollout.vue') },
        { path: 'watch', name: 'watch', component: () => import('./views/watch/Watch.vue') },
      ],
    },
    { path: '/account', name: 'account', component: () => import('./views/account/Account.vue') },
    {
      path: '/join/:key',
      name: 'join',
      component: () => import('./views/account/Join.vue'),
      meta: { open: true },
    },
    {
      path: '/reference/api',
      name: 'api',
      component: () => import('./views/reference/Api.vue'),
      meta: { open: true },
    },
    { path: '/:rest(.*)*', name: 'nowhere', component: () => import('./views/entrance/Nowhere.vue') },
  ],
});

let going: RouteLocationNormalized | undefined;

/** @returns where the router is going, or where it is: a change of the query must not call a way off. */
export const destination = (): RouteLocationNormalized => going ?? router.currentRoute.value;

router.afterEach(() => (going = undefined));
router.beforeEach(async (to) => {
  going = to;
  const session = useSession();
  await session.ready();
  if (!to.meta.open && !session.person) return { name: 'sign-in', query: { then: to.fullPath } };
  return true;
});
