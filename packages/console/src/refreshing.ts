import { onMounted, onUnmounted } from 'vue';

const everyMilliseconds = 4_000;

/** Calls `refresh` at once, and again every few seconds for as long as the page is looked at. */
export function refreshing(refresh: () => Promise<void>): void {
  let timer: ReturnType<typeof setTimeout> | undefined;
  let isGone = false;
  async function turn(): Promise<void> {
    if (document.visibilityState === 'visible') await refresh();
    if (!isGone) timer = setTimeout(turn, everyMilliseconds);
  }
  onMounted(turn);
  onUnmounted(() => {
    isGone = true;
    clearTimeout(timer);
  });
}
