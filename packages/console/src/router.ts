import { createRouter, createWebHistory } from 'vue-router';
import Activity from './pages/Activity.vue';
import Boards from './pages/Boards.vue';
import FirstAdmin from './pages/FirstAdmin.vue';
import Manifest from './pages/Manifest.vue';
import Overview from './pages/Overview.vue';
import Player from './pages/Player.vue';
import Players from './pages/Players.vue';
import SignIn from './pages/SignIn.vue';
import { useSignedIn } from './signed-in.js';

export const router = createRouter({
  history: createWebHistory('/console/'),
  routes: [
    { path: '/', redirect: '/overview' },
    { path: '/sign-in', name: 'sign-in', component: SignIn, meta: { open: true, title: 'Sign in' } },
    { path: '/first-admin', name: 'first-admin', component: FirstAdmin, meta: { open: true, title: 'First admin' } },
    { path: '/join', name: 'join', component: () => import('./pages/Join.vue'), meta: { open: true, title: 'Join' } },
    { path: '/access', name: 'access', component: () => import('./pages/Access.vue'), meta: { title: 'Access' } },
    { path: '/overview', name: 'overview', component: Overview, meta: { title: 'Overview' } },
    { path: '/players', name: 'players', component: Players, meta: { title: 'Players' } },
    { path: '/players/:id', name: 'player', component: Player, props: true, meta: { title: 'Player' } },
    { path: '/boards', name: 'boards', component: Boards, meta: { title: 'Boards' } },
    { path: '/tuning', name: 'tuning', component: () => import('./pages/Tuning.vue'), meta: { title: 'Tuning' } },
    { path: '/gifts', name: 'gifts', component: () => import('./pages/Gifts.vue'), meta: { title: 'Gifts' } },
    { path: '/activity', name: 'activity', component: Activity, meta: { title: 'Activity' } },
    { path: '/manifest', name: 'manifest', component: Manifest, meta: { title: 'Manifest' } },
    { path: '/:elsewhere(.*)', redirect: '/overview' },
  ],
});

const { isSignedIn } = useSignedIn();

router.beforeEach((to) => {
  if (to.meta['open'] !== true && !isSignedIn.value) return { name: 'sign-in', query: { to: to.fullPath } };
  return true;
});

router.afterEach((to) => {
  document.title = `${String(to.meta['title'] ?? '')} · Vekkon`;
});
