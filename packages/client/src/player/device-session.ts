import { utf8Bytes } from '@vekkon/core';
import type {
  CheckpointList,
  JoinResponse,
  LeaveResponse,
  ProblemDetails,
  RecordsByKey,
  RenewResponse,
  SaveResponse,
} from '@vekkon/protocol';
import { ServiceRefused, SessionOver } from '../errors.js';
import { tunedPart, type HeldTuning } from '../session/game-tuning.js';
import { isForShape } from '../session/put-aside.js';
import { nothingSaved, together, type NumberedSave, type SaveResult, type TakenApart } from '../session/stay.js';
import type { Sent } from '../transport/transport.js';
import type { KeptStay } from './kept-stay.js';
import { requestOf } from './leftovers.js';

/** What a session asks of the player who plays in it. */
export interface SessionPlayer {
  send<Answer>(sent: Sent): Promise<Answer>;
  readonly kept: KeptStay;
  readonly tuning: HeldTuning;
  /** Is it the session that the player plays in? Another may have begun meanwhile. */
  isHere(session: DeviceSession): boolean;
  number(number: number, isLast: boolean): void;
  /** What has a number and no answer. */
  unanswered(): readonly NumberedSave[];
  /** The highest number whose answer has arrived. */
  answeredUpTo(): number;
  takeAnswer(save: NumberedSave, answer: SaveResponse | LeaveResponse): SaveResult | undefined;
  takeApart(save: NumberedSave, refusal: ServiceRefused): TakenApart | undefined;
  takeIn(records: RecordsByKey): void;
  /** A call of the session failed. @returns what whoever asked for it is told */
  failed(session: DeviceSession, error: unknown): unknown;
  /** Another tab or device asked for the player. */
  handOver(): void;
  tellStatus(): void;
}

/** What a request that outlives its page may hold, of the 64 KiB that browsers allow. */
const lastWordsBytes = 60_000;

/** One session of a player's own device: what is said in it to the service, and heard. */
export class DeviceSession {
  readonly joined: JoinResponse;
  /** The session's last save has its number: nothing can be added any more. */
  isSealed = false;
  #nextSave: number;
  /** The last commit to this player that is known here. */
  #seen: number;
  readonly #player: SessionPlayer;

  constructor(joined: JoinResponse, player: SessionPlayer) {
    this.joined = joined;
    this.#nextSave = joined.session.nextSave;
    this.#seen = joined.seen;
    this.#player = player;
  }

  get id(): string {
    return this.joined.session.id;
  }

  get leaseSeconds(): number {
    return this.joined.session.leaseSeconds;
  }

  /** Sends what waits, and what was sent before and not answered. @param leave is it the last of it? */
  async save(leave: boolean): Promise<SaveResult> {
    const player = this.#player;
    this.#numberAll(leave);
    let total = nothingSaved;
    for (const save of [...player.unanswered()]) {
      const answered = player.answeredUpTo();
      // What is said to have arrived may be forgotten by the service: it is out of what is kept here before.
      await player.kept.device.flushed();
      this.#checkHere();
      total = together(total, await this.#send(save, answered));
    }
    return total;
  }

  /** The page may be ended without another word: what is left is sent where it is small enough. */
  sayLast(leave: boolean): void {
    const player = this.#player;
    this.#numberAll(leave);
    const sent = [...player.unanswered()];
    const body = { saves: sent.map((save) => ({ session: this.id, ...save })) };
    if (utf8Bytes(JSON.stringify(body)) > lastWordsBytes) return;
    // Nobody may be there for the answer: the same saves are sent again, and answered again.
    player
      .send<{ results: (SaveResponse | ProblemDetails)[] }>({
        method: 'POST',
        path: '/v1/saves',
        body,
        keepalive: true,
      })
      .then(({ results }) => {
        for (const [index, save] of sent.entries()) {
          const answer = results[index];
          if (answer !== undefined && !('code' in answer) && player.isHere(this)) this.#take(save, answer);
        }
      })
      .catch(() => undefined);
  }

  /** Tells the service that the game goes on here. */
  async renew(): Promise<void> {
    const answer = await this.ask(tunedPart(this.#player.tuning));
    if (!this.#player.isHere(this)) return;
    this.takeRenewal(answer);
    this.#player.kept.takeTuning(answer.tuning, answer.now);
    if (answer.session.handoverWanted) this.#player.handOver();
  }

  /** Asks whether the session goes on, and what others changed. */
  ask(more?: object): Promise<RenewResponse> {
    const body = { seen: this.#seen, ...more };
    return this.#player.send({ method: 'POST', path: `/v1/sessions/${this.id}/renew`, body });
  }

  takeRenewal({ seen, records }: RenewResponse): void {
    this.#seen = Math.max(this.#seen, seen);
    this.#player.takeIn(records);
  }

  /** One change by others, as the stream tells of it. */
  heardOfChange(seen: number, records: RecordsByKey): void {
    // Where an event before this one was missed, the next answer must bring it: what is known stays what it was.
    if (seen === this.#seen + 1) this.#seen = seen;
    this.#player.takeIn(records);
    this.#player.kept.keepKnown();
  }

  /** The player's checkpoints, with what they hold. */
  checkpoints(): Promise<CheckpointList> {
    return this.#player.send({ method: 'GET', path: `/v1/sessions/${this.id}/checkpoints?contents=true` });
  }

  /** What checkpoints hold is known before it is needed, so that they can be loaded offline. */
  async learnCheckpoints(): Promise<void> {
    const { kept } = this.#player;
    if (kept.rules?.manifest.checkpoints === undefined) return;
    const list = await this.checkpoints().catch(() => undefined);
    if (list === undefined || !this.#player.isHere(this)) return;
    kept.local.learnCheckpoints(list.checkpoints);
    kept.keepKnown();
  }

  #numberAll(leave: boolean): void {
    const player = this.#player;
    const { kept } = player;
    while (kept.local.waiting.length > 0) player.number(this.#nextSave++, leave);
    if (leave && player.unanswered().at(-1)?.leave !== true) player.number(this.#nextSave++, true);
    if (leave) this.isSealed = true;
    kept.keep();
  }

  async #send(save: NumberedSave, answered: number): Promise<SaveResult> {
    const player = this.#player;
    try {
      const request = requestOf(this.id, save);
      const body = { ...request.body, seen: this.#seen, answered, tuned: player.tuning.tag };
      const answer = await player.send<SaveResponse | LeaveResponse>({ ...request, body });
      this.#checkHere();
      return this.#take(save, answer);
    } catch (error) {
      const apart =
        error instanceof ServiceRefused && isForShape(error) && player.isHere(this)
          ? player.takeApart(save, error)
          : undefined;
      if (apart === undefined) throw player.failed(this, error);
      player.kept.putAside(apart.aside, error as ServiceRefused);
      player.kept.keep();
      return together({ ...nothingSaved, refused: apart.refused }, await this.#send(apart.rest, answered));
    }
  }

  #take(save: NumberedSave, answer: SaveResponse | LeaveResponse): SaveResult {
    const player = this.#player;
    const { kept } = player;
    this.#seen = Math.max(this.#seen, answer.seen);
    const result = player.takeAnswer(save, answer) ?? nothingSaved;
    if ('tuning' in answer) kept.takeTuning(answer.tuning, answer.now);
    kept.rebase(answer.records);
    kept.keepKnown();
    kept.keep();
    player.tellStatus();
    if ('handoverWanted' in answer.session && answer.session.handoverWanted) player.handOver();
    return result;
  }

  /** A save belongs to its session: where another has begun meanwhile, it goes with what that one left over. */
  #checkHere(): void {
    if (this.#player.isHere(this)) return;
    throw new SessionOver(this.id, 'it was given up; what it had not saved is delivered by itself.');
  }
}
