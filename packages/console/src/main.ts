import { createApp } from 'vue';
import App from './App.vue';
import { withLook } from './look.js';
import { router } from './router.js';

const app = withLook(createApp(App)).use(router);
// Before the first navigation nothing is known of the page, not even whether it asks who you are.
void router.isReady().then(() => app.mount('#console'));
