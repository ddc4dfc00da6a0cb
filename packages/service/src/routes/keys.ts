import { Refusal, routes, type KeySummary } from '@vekkon/protocol';
import { rfc3339 } from '@vekkon/store';
import { nameOf } from '../access.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { hashToken, newToken } from '../tokens.js';

/** A key's prefix and its first eight characters: enough to tell it by. */
const hintLength = 12;

/** The keys that game servers and devices show. Only their hashes are kept. */
export function serveKeys(desk: Desk): void {
  const { reader, writer, clock } = desk;

  async function keysOf(environment: number): Promise<readonly (KeySummary & { readonly hash: string })[]> {
    const rows = await reader.access.keys(environment);
    return rows.map((row) => ({
      hash: row.hash,
      id: row.hint ?? '',
      sort: row.sort === 'device-key' ? 'device-key' : 'host-key',
      createdAt: rfc3339(row.created_at),
      revokedAt: row.revoked_at === null ? null : rfc3339(row.revoked_at),
    }));
  }

  serveRoute(desk, routes.keys, async ({ environment }) => ({
    keys: (await keysOf(environment().number)).map(({ hash: _, ...key }) => key),
  }));

  serveRoute(desk, routes.createKey, async ({ body, environment, principal }) => {
    const { key, kept } = newKey(body.sort === 'host-key' ? 'hostKey' : 'deviceKey');
    await writer.do('addKey', { ...kept, environment: environment().number, by: nameOf(principal) });
    return { id: kept.hint, sort: kept.sort, createdAt: rfc3339(clock.now()), revokedAt: null, key };
  });

  serveRoute(desk, routes.revokeKey, async ({ params, environment, principal }) => {
    const { number } = environment();
    const found = (await keysOf(number)).find((key) => key.id === params.keyId);
    if (found === undefined)
      throw new Refusal('key-unknown', `There is no key "${params.keyId}" here: see the list of keys.`);
    await writer.do('revokeKey', { hash: found.hash, environment: number, hint: found.id, by: nameOf(principal) });
    const { hash: _, ...key } = found;
    return { ...key, revokedAt: found.revokedAt ?? rfc3339(clock.now()) };
  });
}

/** A new key, and what is kept of it. */
export function newKey(sort: 'hostKey' | 'deviceKey') {
  const key = newToken(sort);
  const kept = {
    sort: sort === 'hostKey' ? ('host-key' as const) : ('device-key' as const),
    hash: hashToken(key),
    hint: key.slice(0, hintLength),
  };
  return { key, kept };
}
