import { declarationOf, isProblem, readRecord } from '@vekkon/core';
import { Refusal, routes } from '@vekkon/protocol';
import type { IRouter } from 'express';
import { nameOf } from '../access.js';
import { tellOutside } from '../outside-changes.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { knownPlayer } from './players.js';

/** One record at a time: the short way. Its revision is its entity tag (RFC 9110). */
export function serveRecords(router: IRouter, desk: Desk): void {
  const { reader, writer } = desk;

  serveRoute(router, desk, routes.readRecord, async ({ params, environment, request, response }) => {
    const place = await environment();
    const { rules } = await reader.manifestOf(place);
    const declared = declarationOf(params.key, rules.manifest);
    if (isProblem(declared)) throw new Refusal(declared.problem.code, declared.problem.detail, declared.problem);
    const player = await knownPlayer(reader, place, params.player);
    const stored = await reader.record(player.number, declared.key, rules.manifest);
    if ((stored === undefined || stored.removed === true) && declared.member !== undefined) {
      throw new Refusal('record-unknown', `"${params.player}" has no "${params.key}" yet: put it first.`);
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
  });

  serveRoute(router, desk, routes.putRecord, async ({ params, body, environment, principal, request, response }) => {
    const place = await environment();
    const { record, outside } = await writer.do('putRecord', {
      environment: place.number,
      player: params.player,
      key: params.key,
      value: body,
      ifRevision: revisionOf(request.get('If-Match')),
      by: nameOf(principal),
    });
    await tellOutside(desk, place, outside);
    response.set('ETag', `"${record.revision}"`);
    return { revision: record.revision, value: record.value };
  });
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
