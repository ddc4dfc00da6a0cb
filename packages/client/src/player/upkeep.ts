import { listenToStream, type StreamHandlers } from '../session/stream.js';

/** What the upkeep asks of the player. */
interface UpkeptPlayer {
  readonly url: string;
  token(): string;
  /** Seconds between autosaves; 0 for none. */
  readonly autosave: number;
  /** Saves, if there is anything to save. */
  save(): Promise<unknown> | undefined;
  renew(): Promise<void>;
  /** Tries whether the service is there again. */
  comeBack(): Promise<void>;
  readonly heard: StreamHandlers;
}

const longestRenewal = 20_000;
const firstPause = 1_000;
const longestPause = 15_000;

type Timer = ReturnType<typeof setTimeout>;

/** While a device plays: autosaves, renewals, an ear on the session's stream; and offline, tries to come back. */
export class DeviceUpkeep {
  readonly #player: UpkeptPlayer;
  #autosaving: Timer | undefined;
  #renewing: Timer | undefined;
  #tryingAgain: Timer | undefined;
  #failures = 0;
  #listening: { readonly session: string; readonly end: AbortController } | undefined;
  #stopWatching: (() => void) | undefined;

  constructor(player: UpkeptPlayer) {
    this.#player = player;
  }

  /** Keeps a session up. */
  start(session: string, leaseSeconds: number): void {
    const { autosave, url, token, heard } = this.#player;
    this.#pause();
    this.#failures = 0;
    if (autosave > 0)
      this.#autosaving = setInterval(() => void this.#player.save()?.catch(() => undefined), autosave * 1000);
    const renewal = Math.min(longestRenewal, (leaseSeconds * 1000) / 3);
    this.#renewing = setInterval(() => void this.#player.renew(), renewal);
    if (this.#listening?.session === session) return;
    this.#listening?.end.abort();
    const end = new AbortController();
    this.#listening = { session, end };
    // A stream that breaks is the first sign of a network that has gone.
    const look = () => void this.#player.renew();
    void listenToStream(`${url}/v1/sessions/${session}/stream`, token, heard, look, end.signal, look);
  }

  /** The service does not answer: it is tried now and then, less and less often. */
  waitForService(): void {
    this.#pause();
    const pause = Math.min(longestPause, firstPause * 2 ** this.#failures++);
    this.#tryingAgain = setTimeout(() => this.tryNow(), pause * (0.5 + Math.random() / 2));
  }

  /** There is reason to think that the service can be reached again. */
  tryNow(): void {
    clearTimeout(this.#tryingAgain);
    void this.#player.comeBack();
  }

  /** @param stop is called when nothing is kept up any more */
  watch(stop: () => void): void {
    this.#stopWatching?.();
    this.#stopWatching = stop;
  }

  stop(): void {
    this.#pause();
    this.#listening?.end.abort();
    this.#listening = undefined;
    this.#stopWatching?.();
    this.#stopWatching = undefined;
  }

  #pause(): void {
    clearInterval(this.#autosaving);
    clearInterval(this.#renewing);
    clearTimeout(this.#tryingAgain);
  }
}
