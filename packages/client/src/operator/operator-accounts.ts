import type { AccountList, AccountResponse, MailList } from '@vekkon/protocol';
import type { HttpTransport } from '../transport/transport.js';
import { queryOf } from './query-of.js';

/** Players' accounts, as operators look after them. */
export class OperatorAccounts {
  readonly #transport: HttpTransport;

  /** @internal */
  constructor(transport: HttpTransport) {
    this.#transport = transport;
  }

  /** Accounts whose address starts with `search`, in the order of their addresses. */
  list(
    query: { readonly search?: string; readonly count?: number; readonly after?: string } = {},
  ): Promise<AccountList> {
    return this.#transport.send({ method: 'GET', path: `/v1/accounts${queryOf(query)}` });
  }

  /** A player's account, and where it is signed in. @throws ServiceRefused `account-unknown` */
  of(player: string): Promise<AccountResponse & { readonly disabledAt: string | null }> {
    return this.#transport.send({ method: 'GET', path: pathOf(player) });
  }

  /** Shuts an account out, or lets it in again. */
  async disable(player: string, disabled: boolean): Promise<void> {
    await this.#transport.send({ method: 'PUT', path: `${pathOf(player)}/disabled`, body: { disabled } });
  }

  /** Mails a link with which to set another password. */
  async sendReset(player: string): Promise<void> {
    await this.#transport.send({ method: 'POST', path: `${pathOf(player)}/send-reset` });
  }

  /** Signs an account out on all devices. @returns how many sign-ins ended */
  signOut(player: string): Promise<{ readonly ended: number }> {
    return this.#transport.send({ method: 'POST', path: `${pathOf(player)}/sign-out` });
  }

  /** What was mailed in an environment that is not live, where no mail server is set up; the newest first. */
  mails(): Promise<MailList> {
    return this.#transport.send({ method: 'GET', path: '/v1/mails' });
  }
}

function pathOf(player: string): string {
  return `/v1/players/${encodeURIComponent(player)}/account`;
}
