import type { ProblemDetails, ProblemCode, ProblemFacts } from '@vekkon/protocol';
import type { ChangeProblem } from '@vekkon/core';

/** Everything that the client throws. No failure ever yields starting values. */
export abstract class VekkonError extends Error {
  /** May the same call succeed later, unchanged? */
  abstract readonly canRetry: boolean;
}

/** A name that is no tunable: most likely a typing mistake. */
export class TunableUnknown extends VekkonError {
  override readonly name = 'TunableUnknown';
  readonly canRetry = false;

  constructor(
    readonly tunable: string,
    readonly nearest: string | undefined,
    names: readonly string[],
  ) {
    const advice =
      nearest === undefined ? `there are ${names.join(', ') || 'none yet'}.` : `did you mean "${nearest}"?`;
    super(`There is no tunable "${tunable}": ${advice}`);
  }
}

/** The service answered, and refused. `code` is stable; the message says what to do next. */
export class ServiceRefused extends VekkonError {
  override readonly name = 'ServiceRefused';
  readonly code: ProblemCode;
  readonly status: number;
  readonly facts: ProblemFacts;
  readonly requestId: string;

  constructor(readonly problem: ProblemDetails) {
    super(problem.detail);
    this.code = problem.code;
    this.status = problem.status;
    this.facts = problem;
    this.requestId = problem.requestId;
  }

  get canRetry(): boolean {
    return [429, 502, 503, 504].includes(this.status);
  }
}

/** No answer, or none that can be read: whether the service did the work is not known. */
export class ServiceUnreachable extends VekkonError {
  override readonly name = 'ServiceUnreachable';
  readonly canRetry = true;

  /** @param retryAfter seconds that somebody on the way asked to wait */
  constructor(
    url: string,
    cause: unknown,
    readonly retryAfter = 0,
  ) {
    super(`No answer from ${url}: ${reasonOf(cause)}.`, { cause });
  }

  /** The connection was closed under the request, as happens to one that was kept for long. */
  get wasCutOff(): boolean {
    const inner = this.cause instanceof Error ? this.cause.cause : undefined;
    return inner instanceof Error && 'code' in inner && cuts.has(String(inner.code));
  }
}

/** How Node's fetch names a connection that was closed by the other side. */
const cuts: ReadonlySet<string> = new Set(['ECONNRESET', 'EPIPE', 'UND_ERR_SOCKET']);

function reasonOf(cause: unknown): string {
  if (!(cause instanceof Error)) return String(cause);
  const inner = cause.cause instanceof Error ? cause.cause : cause;
  const code = 'code' in inner && typeof inner.code === 'string' ? inner.code : undefined;
  return inner.message === '' ? (code ?? inner.name) : inner.message;
}

/** A change that the rules refuse, found before anything was sent; nothing changed. */
export class ChangeRefused extends VekkonError {
  override readonly name = 'ChangeRefused';
  readonly canRetry = false;
  readonly code: ChangeProblem['code'];

  constructor(readonly problem: ChangeProblem & { readonly change: number }) {
    super(problem.detail);
    this.code = problem.code;
  }
}

/** There is no checkpoint of that name, or none that can be loaded here and now. */
export function checkpointUnknown(name: string, known: readonly string[]): ChangeRefused {
  const there = known.length === 0 ? 'there is none' : `there are ${known.map((one) => `"${one}"`).join(', ')}`;
  const detail = `There is no checkpoint "${name}" that can be loaded: ${there}.`;
  return new ChangeRefused({ code: 'checkpoint-unknown', change: 0, detail, checkpoints: known });
}

/** The session is over: the player left, or somebody else writes their records now. */
export class SessionOver extends VekkonError {
  override readonly name = 'SessionOver';
  readonly canRetry = false;

  constructor(
    readonly session: string,
    why: string,
  ) {
    super(`The session is over: ${why} Join the player again to go on.`);
  }
}

/** The session's last save has its number: it takes no more changes, and what was done before is on its way. */
export class SessionLeaving extends VekkonError {
  override readonly name = 'SessionLeaving';
  readonly canRetry = false;

  constructor(readonly session: string) {
    super(
      'The session is leaving: its last save is on its way and takes no more changes. Look at isLeaving before you change anything, and join the player again to go on.',
    );
  }
}

/** The host is closing: nobody can be joined here any more. */
export class HostClosing extends VekkonError {
  override readonly name = 'HostClosing';
  readonly canRetry = false;

  constructor(host: string) {
    super(`"${host}" is closing: it joins no more players. Look at isClosing before you join one.`);
  }
}
