import { declarationOf, isForPlayers, isProblem, readRecord, type Json } from '@vekkon/core';
import { Refusal, routes, type StoredRecord } from '@vekkon/protocol';
import type { EnvironmentRow } from '@vekkon/store';
import type { Request, Response } from 'express';
import { deviceIn, deviceOf, nameOf, type Principal } from '../access.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { playerUnknown } from '../known-player.js';

/** One record at a time: the short way. Its revision is its entity tag (RFC 9110). */
export function serveRecords(desk: Desk): void {
  serveRoute(desk, routes.readRecord, ({ params, ...call }) => readOne(desk, params.player, params.key, call));

  serveRoute(desk, routes.meReadRecord, ({ params, ...call }) =>
    readOne(desk, deviceOf(call.principal).player, params.key, call),
  );

  serveRoute(desk, routes.putRecord, ({ params, body, ...call }) =>
    putOne(desk, params.player, params.key, body, call),
  );

  serveRoute(desk, routes.mePutRecord, ({ params, body, ...call }) =>
    putOne(desk, deviceOf(call.principal).player, params.key, body, call),
  );
}

interface OneCall {
  readonly environment: () => EnvironmentRow;
  readonly principal: Principal;
  readonly request: Request;
  readonly response: Response;
}

async function readOne(
  { reader }: Desk,
  id: string,
  key: string,
  { environment, principal, request, response }: OneCall,
): Promise<Json | undefined> {
  const place = environment();
  const { rules } = await reader.manifests.newestOf(place);
  const declared = declarationOf(key, rules.manifest);
  if (isProblem(declared)) throw new Refusal(declared.problem.code, declared.problem.detail, declared.problem);
  if (principal.sort === 'device' && principal.player !== id && declared.declaration.others !== 'read') {
    const detail = `${key} is for its own player alone: "others: read" would let others see it.`;
    throw new Refusal('not-for-players', detail, { key });
  }
  if (principal.sort === 'device' && principal.player === id && !isForPlayers(declared.key, rules.manifest)) {
    throw new Refusal('not-for-players', `${key} is not for players to see: "player: read" would let them.`, { key });
  }
  const found = await reader.players.record(place.number, id, declared.key, rules.manifest);
  if (found === undefined) throw playerUnknown(place, id);
  const { stored } = found;
  if ((stored === undefined || stored.removed === true) && declared.member !== undefined) {
    throw new Refusal('record-unknown', `"${id}" has no "${key}" yet: put it first.`);
  }
  const record = readRecord(stored, declared.declaration, rules);
  const tag = `"${record.revision}"`;
  response.set('ETag', tag);
  if (record.misfit === true) response.set('Vekkon-Misfit', 'true');
  if (request.get('If-None-Match') === tag) {
    response.status(304).end();
    return undefined;
  }
  return record.value;
}

async function putOne(
  desk: Desk,
  player: string,
  key: string,
  value: Json,
  { environment, principal, request, response }: OneCall,
): Promise<StoredRecord> {
  const place = environment();
  const record = await desk.writer.do('putRecord', {
    environment: place.number,
    player,
    key,
    value,
    ifRevision: revisionOf(request.get('If-Match')),
    by: nameOf(principal),
    device: deviceIn(principal),
  });
  response.set('ETag', `"${record.revision}"`);
  return { revision: record.revision, value: record.value };
}

/** The revision that an If-Match header names. */
function revisionOf(header: string | undefined): number | null {
  if (header === undefined) return null;
  const revision = /^"(\d+)"$/.exec(header.trim())?.[1];
  if (revision === undefined) {
    throw new Refusal(
      'request-invalid',
      'If-Match must be the ETag of the record that you read, such as "8", with its quotes.',
    );
  }
  return Number(revision);
}
