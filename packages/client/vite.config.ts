import { defineConfig } from 'vite';

/** VekkonPlayer as one file that a page can import, made from what the compiler wrote. */
export default defineConfig({
  build: {
    target: 'es2022',
    outDir: 'dist/browser',
    lib: { entry: 'dist/player/index.js', formats: ['es'], fileName: () => 'vekkon-player.js' },
    rolldownOptions: { output: { minify: true } },
    sourcemap: true,
  },
});
