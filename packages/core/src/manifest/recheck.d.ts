/** The checker without its native and Java engines: it runs anywhere, and starts no other process. */
declare module 'recheck/lib/browser.js' {
  import type { checkSync } from 'recheck';
  const recheck: { readonly checkSync: typeof checkSync };
  export default recheck;
}
