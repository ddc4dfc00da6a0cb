import type { Rules } from '@vekkon/core';
import { schemaChecks } from '@vekkon/core/manifest-file';
import type { JoinRequest, JoinResponse, ManifestResponse } from '@vekkon/protocol';
import { HttpTransport, type Transport } from '../transport/transport.js';
import { HostSession, type SaveResult } from './host-session.js';

export interface VekkonHostOptions {
  /** Where the service is, such as http://127.0.0.1:4600. */
  readonly url: string;
  readonly hostKey: string;
  /** The name under which this host is known; the same at every start. */
  readonly host: string;
}

export interface JoinOptions extends Pick<JoinRequest, 'name' | 'attributes'> {
  /** Seconds to wait, up to 20, while another host that holds the player is asked to let go. */
  readonly wait?: number;
}

/**
 * A game server's side of Vekkon.
 *
 * @example
 * const host = new VekkonHost({ url, hostKey, host: 'ridge-eu-3' });
 * const session = await host.join('p-10442', { name: 'Maren' });
 */
export class VekkonHost {
  readonly name: string;
  /** One start of this process, under a random id. */
  readonly instance: string = crypto.randomUUID();
  readonly #transport: Transport;
  readonly #sessions = new Set<HostSession>();
  #rules: Promise<Rules> | undefined;

  constructor({ url, hostKey, host }: VekkonHostOptions) {
    this.name = host;
    this.#transport = new HttpTransport(url, { Authorization: `Bearer ${hostKey}` });
  }

  /** The sessions that are open here. */
  get sessions(): readonly HostSession[] {
    return [...this.#sessions].filter((session) => !session.isOver);
  }

  /**
   * Opens a session for a player and loads their records.
   *
   * @throws ServiceUnreachable or ServiceRefused; only the service says who is new
   */
  async join(player: string, { name, attributes, wait = 0 }: JoinOptions = {}): Promise<HostSession> {
    const rules = await this.#loadRules();
    const joined = await this.#transport.send<JoinResponse>({
      method: 'POST',
      path: `/v1/players/${encodeURIComponent(player)}/join`,
      body: {
        host: this.name,
        instance: this.instance,
        attempt: crypto.randomUUID(),
        name,
        attributes,
        wait,
      } satisfies { [K in keyof JoinRequest]: JoinRequest[K] | undefined },
      timeout: 15_000 + wait * 1000,
    });
    const session = new HostSession(this.#transport, joined, rules);
    this.#sessions.add(session);
    return session;
  }

  /** Leaves every session. @returns what came of each; a session that could not leave stays, with the reason */
  async close(): Promise<readonly { readonly player: string; readonly left: PromiseSettledResult<SaveResult> }[]> {
    const leaving = this.sessions;
    const left = await Promise.allSettled(leaving.map((session) => session.leave()));
    for (const session of leaving) if (session.isOver) this.#sessions.delete(session);
    return leaving.map((session, index) => ({
      player: session.player.id,
      left: left[index] ?? { status: 'rejected', reason: undefined },
    }));
  }

  async #loadRules(): Promise<Rules> {
    this.#rules ??= this.#transport
      .send<ManifestResponse>({ method: 'GET', path: '/v1/manifest' })
      .then(({ manifest }) => ({ manifest, check: schemaChecks(manifest) }));
    try {
      return await this.#rules;
    } catch (error) {
      this.#rules = undefined;
      throw error;
    }
  }
}
