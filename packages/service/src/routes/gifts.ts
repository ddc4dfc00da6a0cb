import { notGivable, type Change, type GiftContent } from '@vekkon/core';
import { Refusal, routes, type Gift, type GiftAudience } from '@vekkon/protocol';
import { rfc3339, takenBackWithin, type EnvironmentRow, type GiftRow } from '@vekkon/store';
import { nameOf, type Principal } from '../access.js';
import { serveRoute, type Desk } from '../serve-route.js';

const mostExamples = 10;

/** The same for many players at once: looked at, given, stopped and taken back. */
export function serveGifts(desk: Desk): void {
  const { reader, writer, longReads, longTurns, clock } = desk;

  serveRoute(desk, routes.giftLook, async ({ body, environment, principal }) => {
    const place = environment();
    await reader.manifests.newestOf(place);
    const content = contentOf(body);
    const { ids, total, isCapped, next } = await desk.playerSearch.some(place, body.audience, body.after);
    const looks = await longTurns.take(nameOf(principal), () => longReads.lookAtGift(place, content, ids, clock.now()));
    const fits = looks.filter(({ problem }) => problem === null);
    const changed = fits.filter(({ words }) => words !== '');
    return {
      looked: looks.length,
      changed: changed.length,
      same: fits.length - changed.length,
      examples: changed.slice(0, mostExamples).map(({ player, name, words }) => ({ player, name, words })),
      refused: looks.flatMap(({ player, name, problem }) => (problem === null ? [] : [{ player, name, ...problem }])),
      total,
      isCapped,
      next,
    };
  });

  serveRoute(desk, routes.createGift, async ({ body, environment, principal }) => {
    const place = environment();
    await reader.manifests.newestOf(place);
    const { label, audience } = body;
    const { number } = await writer.do('beginGift', {
      environment: place.number,
      content: contentOf(body),
      // Who is named is written down one by one.
      audience: JSON.stringify('players' in audience ? { players: audience.players.length } : audience),
      isForAll: 'everybody' in audience,
      label,
      by: nameOf(principal),
    });
    await desk.gifts.gather(number, place, audience);
    return giftAsTold(await knownGift(place, number));
  });

  serveRoute(desk, routes.gifts, async ({ query, environment }) => {
    const rows = await reader.gifts.list(environment().number, query.count + 1, query.before);
    const shown = rows.slice(0, query.count);
    const next = rows.length > query.count ? (shown.at(-1)?.number ?? null) : null;
    return { gifts: shown.map(giftAsTold), next };
  });

  serveRoute(desk, routes.gift, async ({ params, environment }) =>
    giftAsTold(await knownGift(environment(), params.gift)),
  );

  serveRoute(desk, routes.giftPlayers, async ({ params, query, environment }) => {
    const { number } = await knownGift(environment(), params.gift);
    const rows = await longReads.giftPlayers(number, query.state, query.count + 1, query.after);
    const players = rows.slice(0, query.count).map(({ id, problem }) => {
      const { code = null, detail = null } = JSON.parse(problem ?? '{}') as { code?: string; detail?: string };
      return { player: id, code, detail };
    });
    return { players, next: rows.length > query.count ? (rows[query.count - 1]?.place ?? null) : null };
  });

  serveRoute(desk, routes.stopGift, (call) => direct(call, 'stop'));
  serveRoute(desk, routes.resumeGift, (call) => direct(call, 'resume'));
  serveRoute(desk, routes.takeBackGift, (call) => direct(call, 'take-back'));

  async function direct(
    call: {
      readonly params: { readonly gift: number };
      readonly environment: () => EnvironmentRow;
      readonly principal: Principal;
    },
    what: 'stop' | 'resume' | 'take-back',
  ): Promise<Gift> {
    const place = call.environment();
    const { gift } = call.params;
    await writer.do('directGift', { environment: place.number, gift, what, by: nameOf(call.principal) });
    if (what !== 'stop') desk.gifts.run(gift);
    return giftAsTold(await knownGift(place, gift));
  }

  async function knownGift({ number }: EnvironmentRow, gift: number): Promise<GiftRow> {
    const row = await reader.gifts.one(number, gift);
    if (row === undefined) throw new Refusal('gift-unknown', `There is no gift number ${gift} in this environment.`);
    return row;
  }

  function giftAsTold(row: GiftRow): Gift {
    const content = JSON.parse(row.content) as GiftContent;
    const until = (row.ended_at ?? row.at) + takenBackWithin;
    const canBeTakenBack = (row.state === 'given' || row.state === 'stopped') && until > clock.now();
    return {
      number: row.number,
      label: row.label,
      state: row.state,
      changes: 'changes' in content ? [...content.changes] : null,
      asOf: 'asOf' in content ? rfc3339(content.asOf) : null,
      keys: 'asOf' in content && content.keys !== null ? [...content.keys] : null,
      audience: audienceInWords(row.audience),
      asked: row.asked,
      given: row.given,
      refused: row.refused,
      takenBack: row.taken_back,
      share: shareOf(row),
      kept: row.kept,
      at: rfc3339(row.at),
      by: row.by,
      endedAt: row.ended_at === null ? null : rfc3339(row.ended_at),
      takenBackUntil: canBeTakenBack ? rfc3339(until) : null,
    };
  }
}

/** How far it has come: of everybody by the numbers of players, which grow with each that is made. */
function shareOf({ state, audience, after, until, given, refused, asked, taken_back, kept }: GiftRow): number {
  const [done, of] = (() => {
    if (state === 'taking-back') return [taken_back + kept, given];
    if (state !== 'giving' && state !== 'stopped') return [1, 1];
    return audience.includes('everybody') ? [after, until] : [given + refused, asked];
  })();
  return of === 0 ? 1 : Math.min(1, done / of);
}

function contentOf(body: {
  readonly changes?: readonly Change[] | undefined;
  readonly asOf?: string | undefined;
  readonly keys?: readonly string[] | undefined;
}): GiftContent {
  if (body.changes === undefined) return { asOf: Date.parse(body.asOf ?? ''), keys: body.keys ?? null };
  const refused = notGivable({ changes: body.changes });
  if (refused !== undefined) throw new Refusal(refused.code, refused.detail);
  return { changes: body.changes };
}

function audienceInWords(text: string): string {
  const audience = JSON.parse(text) as Exclude<GiftAudience, { players: unknown }> | { readonly players: number };
  if ('everybody' in audience) return 'everybody';
  if ('players' in audience) return `${audience.players} who are named`;
  const { search, inSession, hasUnsettled, joinedSince } = audience.found;
  const words = [
    ...(search === undefined ? [] : [`"${search}" in name or id`]),
    ...(inSession === undefined ? [] : ['in a session']),
    ...(hasUnsettled === undefined ? [] : ['with unsettled transactions']),
    ...(joinedSince === undefined ? [] : [`joined since ${joinedSince}`]),
  ];
  return `those found: ${words.length === 0 ? 'all' : words.join(', ')}`;
}
