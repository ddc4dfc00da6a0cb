import '@fontsource-variable/alegreya';
import '@fontsource/alegreya-sans/400.css';
import '@fontsource/alegreya-sans/500.css';
import '@fontsource/alegreya-sans/700.css';
import 'primeicons/primeicons.css';
import './page.css';
import PrimeVue from 'primevue/config';
import { createApp } from 'vue';
import App from './App.vue';
import { router } from './router.js';
import { theme, themeStyles } from './theme.js';

const styles = document.createElement('style');
styles.textContent = themeStyles();
document.head.append(styles);

const app = createApp(App)
  .use(router)
  .use(PrimeVue, { theme: { preset: theme, options: { darkModeSelector: '.night' } } });
// Before the first navigation nothing is known of the page, not even whether it asks who you are.
void router.isReady().then(() => app.mount('#console'));
