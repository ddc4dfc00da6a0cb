import type { OperatorEvents } from '@vekkon/protocol';
import { onMounted, onUnmounted } from 'vue';
import { useSignedIn } from './signed-in.js';

/** What a page can hear of, on the one stream that it listens to. */
export type Topic = 'activity' | 'boards' | 'gifts' | 'overview' | 'tuning';

interface Ear {
  readonly topics: readonly Topic[];
  readonly player: string | undefined;
  readonly hear: (event: keyof OperatorEvents, data: unknown) => void;
}

/** At most so often a page looks again, whatever happens: at one player soon, at what is of all not all the time. */
const betweenLooks = { ofPlayer: 300, ofAll: 3_000 };
/** Everything that is shown hears on one stream: a browser keeps few connections to one service. */
const ears = new Set<Ear>();
let stream: AbortController | undefined;
let heard = '';
let isSettling = false;

/** Calls `refresh` at once, and again whenever something has happened that it may show. */
export function refreshing(
  refresh: () => Promise<void>,
  { topics = ['activity'], player }: { readonly topics?: readonly Topic[]; readonly player?: string } = {},
): void {
  let timer: ReturnType<typeof setTimeout> | undefined;
  let isGone = false;
  let isAskedAgain = false;
  async function look(): Promise<void> {
    isAskedAgain = false;
    await refresh();
    if (isGone) return;
    timer = setTimeout(
      () => {
        timer = undefined;
        if (isAskedAgain) void lookNow();
      },
      player === undefined ? betweenLooks.ofAll : betweenLooks.ofPlayer,
    );
  }
  async function lookNow(): Promise<void> {
    if (timer === undefined && document.visibilityState === 'visible') await look();
    else isAskedAgain = true;
  }
  function beSeen(): void {
    if (isAskedAgain) void lookNow();
  }
  const stop = hearing({ topics, player, hear: () => void lookNow() });
  onMounted(() => void look());
  document.addEventListener('visibilitychange', beSeen);
  onUnmounted(() => {
    isGone = true;
    clearTimeout(timer);
    document.removeEventListener('visibilitychange', beSeen);
    stop();
  });
}

/** Hears what happens. @returns ends it */
export function hearing(ear: Ear): () => void {
  ears.add(ear);
  settle();
  return () => {
    ears.delete(ear);
    settle();
  };
}

/** Listens for what anybody wants to hear now; what is opened in one go opens one stream. */
function settle(): void {
  if (isSettling) return;
  isSettling = true;
  queueMicrotask(() => {
    isSettling = false;
    const topics = [...new Set([...ears].flatMap((one) => one.topics))].sort();
    const player = [...ears].find((one) => one.player !== undefined)?.player;
    const { calls, isSignedIn, environment } = useSignedIn();
    const wanted = JSON.stringify([topics, player, environment.value]);
    if (wanted === heard && stream !== undefined) return;
    stream?.abort();
    stream = undefined;
    heard = wanted;
    if (ears.size === 0 || !isSignedIn.value) return;
    stream = new AbortController();
    const tell = (event: keyof OperatorEvents) => (data: unknown) => {
      for (const one of [...ears]) if (concerns(one, event)) one.hear(event, data);
    };
    const handlers = {
      activity: tell('activity'),
      boards: tell('boards'),
      gift: tell('gift'),
      overview: tell('overview'),
      player: tell('player'),
      tuning: tell('tuning'),
    };
    let hasOpened = false;
    void calls.value.listen({ topics, player }, handlers, stream.signal, () => {
      // What happened while nobody listened was not heard.
      if (hasOpened) for (const one of [...ears]) one.hear('activity', undefined);
      hasOpened = true;
    });
  });
}

function concerns({ topics, player }: Ear, event: keyof OperatorEvents): boolean {
  if (event === 'player') return player !== undefined;
  return topics.includes(event === 'gift' ? 'gifts' : event);
}
