import { readKeys, underCurrentKeys } from '@vekkon/core';
import { Refusal, type PlayerSummary, type SessionSummary } from '@vekkon/protocol';
import {
  rfc3339,
  type EnvironmentRow,
  type LongReads,
  type PlayerRow,
  type Reader,
  type SessionRow,
} from '@vekkon/store';

/** @throws Refusal `player-unknown` */
export async function knownPlayer(reader: Reader, environment: EnvironmentRow, id: string) {
  const player = await reader.players.one(environment.number, id);
  if (player === undefined) throw playerUnknown(environment, id);
  return player;
}

export function playerUnknown({ game, name }: EnvironmentRow, id: string): Refusal {
  const detail = `"${game}/${name}" knows no player "${id}": check the id. A player is made at their first join.`;
  return new Refusal('player-unknown', detail);
}

/** Records as the rules read them: what lacks in them filled in, what is no longer declared left out. */
export async function declaredOnly(
  reader: Reader,
  environment: EnvironmentRow,
  records: Awaited<ReturnType<LongReads['recordsAsOf']>>,
) {
  const { rules } = await reader.manifests.newestOf(environment);
  const stored = underCurrentKeys(records, rules.manifest);
  const present = [...stored].flatMap(([key, { removed }]) => (removed === true ? [] : key));
  return readKeys(present, stored, rules);
}

/** What is told of a player wherever one is named. */
export function playerSummary(row: PlayerRow & { readonly session_on: string | null }): PlayerSummary {
  return {
    id: row.id,
    name: row.name,
    createdAt: rfc3339(row.created_at),
    lastJoinedAt: timeOrNull(row.last_joined_at),
    lastLeftAt: timeOrNull(row.last_left_at),
    sessionOn: row.session_on,
  };
}

/** What is told of a stay wherever one is named. */
export function sessionSummary(row: SessionRow): SessionSummary {
  return {
    id: row.id,
    host: row.host,
    joinedAt: rfc3339(row.joined_at),
    endedAt: timeOrNull(row.ended_at),
    end: row.end,
    saves: row.next_save - 1,
    lastSavedAt: timeOrNull(row.last_saved_at),
    isNew: row.is_new === 1,
  };
}

function timeOrNull(time: number | null): string | null {
  return time === null ? null : rfc3339(time);
}
