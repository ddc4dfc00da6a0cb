import vue from '@vitejs/plugin-vue';
import { defineConfig } from 'vite';

export default defineConfig({
  base: '/console/',
  plugins: [vue()],
  build: {
    outDir: 'dist',
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 900,
    // The console, and the page on which the service's calls are read.
    rolldownOptions: { input: ['index.html', 'docs.html'] },
  },
});
