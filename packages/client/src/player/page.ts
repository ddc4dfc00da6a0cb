/** What happens to the page that a game is on. */
export interface PageEvents {
  /** It is not seen any more, and may be ended without another word. */
  readonly hidden: () => void;
  /** It is left; `mayComeBack`: the browser may show it again as it was. */
  readonly left: (mayComeBack: boolean) => void;
  /** It is seen again. */
  readonly shown: () => void;
  /** The browser has a network again. */
  readonly online: () => void;
  /** It has none: the service may be on this machine all the same. */
  readonly offline: () => void;
}

/** Listens to the page (HTML: page visibility, page transitions), where there is one. @returns stops listening */
export function watchPage({ hidden, left, shown, online, offline }: PageEvents): () => void {
  if (typeof document === 'undefined') return () => undefined;
  const listening = new AbortController();
  const { signal } = listening;
  const changed = () => (document.visibilityState === 'hidden' ? hidden() : shown());
  document.addEventListener('visibilitychange', changed, { signal });
  window.addEventListener('pagehide', ({ persisted }) => left(persisted), { signal });
  window.addEventListener('pageshow', ({ persisted }) => persisted && shown(), { signal });
  window.addEventListener('online', online, { signal });
  window.addEventListener('offline', offline, { signal });
  return () => listening.abort();
}
