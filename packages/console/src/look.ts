import '@fontsource-variable/alegreya';
import '@fontsource/alegreya-sans/400.css';
import '@fontsource/alegreya-sans/500.css';
import '@fontsource/alegreya-sans/700.css';
import 'primeicons/primeicons.css';
import './page.css';
import PrimeVue from 'primevue/config';
import type { App } from 'vue';
import { theme, themeStyles } from './theme.js';

/** Gives an app the look of the house. */
export function withLook<Root>(app: App<Root>): App<Root> {
  const styles = document.createElement('style');
  styles.textContent = themeStyles();
  document.head.append(styles);
  return app.use(PrimeVue, { theme: { preset: theme, options: { darkModeSelector: '.night' } } });
}
