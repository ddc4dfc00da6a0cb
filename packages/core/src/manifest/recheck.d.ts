/** The checker without its native and Java engines: it runs anywhere, and starts no other process. */
declare module 'recheck/lib/browser.js' {
  export { checkSync } from 'recheck';
  const whole: Pick<typeof import('recheck'), 'checkSync'>;
  export default whole;
}
