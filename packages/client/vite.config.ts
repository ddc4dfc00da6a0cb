import { defineConfig } from 'vite';

/** VekkonPlayer as one file that a page can import, made from what the compiler wrote. */
export default defineConfig({
  build: {
    target: 'es2022',
    outDir: 'dist/browser',
    lib: { entry: 'dist/player/index.js', formats: ['es'], fileName: () => 'vekkon-player.js' },
    // Smaller by a hundredth or two than what is built in: it is fetched by every player.
    minify: 'terser',
    terserOptions: { module: true, ecma: 2020, compress: { passes: 3 }, mangle: { module: true } },
    rolldownOptions: { output: { minify: true }, checks: { pluginTimings: false } },
    sourcemap: true,
  },
});
