import { Refusal } from '@vekkon/protocol';
import type { Request, Response } from 'express';
import { addressOf } from '../limits/counted.js';
import type { Desk } from '../serve-route.js';
import { hashToken, newCode } from '../tokens.js';

/** Where identity providers send browsers back to, and the page that says how it went. */
export const returnPath = '/account/return';
const saidAt = '/account/returned';

/**
 * A browser comes back from an identity provider: what it brings is looked at,
 * and it goes on to the game, or to a page that shows the code for it.
 */
export function returnFromProvider(desk: Desk): (request: Request, response: Response) => Promise<void> {
  const { reader, writer, accounts } = desk;
  return async (request, response) => {
    response.set({ 'Cache-Control': 'no-store', 'Referrer-Policy': 'no-referrer' });
    const { state } = request.query;
    let goesTo: string | null = null;
    try {
      const stateHash = hashToken(typeof state === 'string' ? state : '');
      // A state can't be guessed: who makes some up is in nobody's way, not even the writer's.
      if (!(await reader.accounts.hasIdentityTry(stateHash))) throw new Refusal('link-over');
      const begun = await writer.do('claimIdentityTry', { stateHash });
      goesTo = begun.return_to;
      const { environment, nonce, verifier, hash } = begun;
      const providers = await reader.accounts.providers(environment);
      const provider = providers.find(({ name, issuer }) => name === begun.provider && issuer === begun.issuer);
      if (provider === undefined) throw new Refusal('identity-provider-unknown');
      const address = new URL(returnPath, accounts.url);
      address.search = new URL(request.originalUrl, accounts.url).search;
      const about = { state: state as string, nonce, verifier };
      const { subject, email } = await accounts.providers.finish(provider, address, about);
      const code = newCode();
      await writer.do('answerIdentityTry', { hash, codeHash: hashToken(code), subject, email });
      response.redirect(303, goesTo === null ? `${saidAt}#${code}` : withQuery(goesTo, 'vekkon-code', code));
    } catch (error) {
      if (!(error instanceof Refusal)) desk.log.error({ err: error }, 'A browser came back from an identity provider');
      const code = error instanceof Refusal ? error.code : 'internal-error';
      desk.log.info({ code, from: addressOf(request) }, 'Nobody was signed in by an identity provider');
      response.redirect(303, goesTo === null ? `${saidAt}?refused=${code}` : withQuery(goesTo, 'vekkon-refused', code));
    }
  };
}

function withQuery(address: string, name: string, value: string): string {
  const url = new URL(address);
  url.searchParams.set(name, value);
  return url.href;
}
