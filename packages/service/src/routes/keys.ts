import { Refusal, routes, type KeySummary, type Scope } from '@vekkon/protocol';
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
      name: row.name,
      scopes: row.scopes === null ? null : (JSON.parse(row.scopes) as Scope[]),
      createdAt: rfc3339(row.created_at),
      expiresAt: timeOrNull(row.expires_at),
      revokedAt: timeOrNull(row.revoked_at),
      lastUsedAt: timeOrNull(row.last_used_at),
      lastUsedFrom: row.last_used_from,
    }));
  }

  serveRoute(desk, routes.keys, async ({ environment }) => ({
    keys: (await keysOf(environment().number)).map(({ hash: _, ...key }) => key),
  }));

  serveRoute(desk, routes.createKey, async ({ body, environment, principal }) => {
    const { sort, name = null, scopes = null } = body;
    const expiresAt = body.expiresAt === undefined ? null : Date.parse(body.expiresAt);
    if (expiresAt !== null && expiresAt <= clock.now()) {
      throw new Refusal('request-invalid', 'In the body at /expiresAt: this time has passed already.');
    }
    const { key, kept } = newKey(sort === 'host-key' ? 'hostKey' : 'deviceKey');
    const about = { name, scopes, expiresAt };
    await writer.do('addKey', { ...kept, ...about, environment: environment().number, by: nameOf(principal) });
    const never = { revokedAt: null, lastUsedAt: null, lastUsedFrom: null };
    const createdAt = rfc3339(clock.now());
    return { id: kept.hint, sort: kept.sort, name, scopes, createdAt, expiresAt: timeOrNull(expiresAt), ...never, key };
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

function timeOrNull(time: number | null): string | null {
  return time === null ? null : rfc3339(time);
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
