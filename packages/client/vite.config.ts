import { defineConfig, type Plugin } from 'vite';

/** A library keeps what tells bundlers which calls do nothing; a page imports this file as it is. */
const withoutAnnotations: Plugin = {
  name: 'without-annotations',
  enforce: 'post',
  generateBundle(_options, bundle) {
    for (const one of Object.values(bundle)) {
      if (one.type === 'chunk') one.code = one.code.replaceAll('/* @__PURE__ */', '');
    }
  },
};

/** VekkonPlayer as one file that a page can import, made from what the compiler wrote. */
export default defineConfig({
  plugins: [withoutAnnotations],
  build: {
    target: 'es2022',
    outDir: 'dist/browser',
    lib: { entry: 'dist/player/index.js', formats: ['es'], fileName: () => 'vekkon-player.js' },
    // Smaller by a hundredth or two than what is built in: it is fetched by every player.
    minify: 'terser',
    terserOptions: {
      module: true,
      ecma: 2020,
      compress: { passes: 3, pure_getters: true, keep_fargs: false, unsafe_arrows: true, hoist_funs: true },
      mangle: { module: true },
    },
    rolldownOptions: { output: { minify: true }, checks: { pluginTimings: false } },
    // The service says in a header where the map is (ECMA-426): the file is fetched by every player, the map by few.
    sourcemap: 'hidden',
  },
});
