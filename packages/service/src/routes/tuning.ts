import { declarationOf, isProblem, shownResult, type Json, type Manifest } from '@vekkon/core';
import { fileWithoutTunable, fileWithTunable } from '@vekkon/core/manifest-edits';
import {
  asPublished,
  outdatedIn,
  readEdition,
  short,
  tagOf,
  tunedIn,
  tuningDifferences,
  underCurrentNames,
  Tuning,
  type Adjustment,
  type AttributeValue,
  type Explained,
  type Measure,
  type Tuned,
} from '@vekkon/core/tuning';
import type { TrialResults } from '@vekkon/core/trials';
import { Refusal, routes, type Trial } from '@vekkon/protocol';
import { contentOf, rfc3339, type EditionRow, type EnvironmentRow } from '@vekkon/store';
import { nameOf, readerOf, type Principal } from '../access.js';
import { installManifest } from '../install-manifest.js';
import { serveRoute, type Desk } from '../serve-route.js';
import { attributesOf } from '../session-tunings.js';
import { tuningNow, whoIs } from '../tell-tuning.js';
import { newId } from '../tokens.js';
import type { ReadyTuning } from '../tunings.js';

/** Values of the running game that are changed from afar: read, edited, published, explained, compared. */
export function serveTuning(desk: Desk): void {
  const { reader, longReads, writer, tunings, clock } = desk;

  serveRoute(desk, routes.tuning, async ({ query, environment, principal, request, response }) => {
    const place = environment();
    const ready = await tunings.of(place);
    const player = principal.sort === 'device' ? principal.player : query.player;
    const who = player === undefined ? { attributes: {} } : await whoIs(desk, place, ready, player);
    if (who === undefined) throw new Refusal('player-unknown');
    const spoken = query.manifest === undefined ? undefined : await reader.manifests.version(place, query.manifest);
    const told = tunings.toldTo(ready, who, spoken?.rules.manifest);
    // Who only looks gives nobody a value.
    if (principal.sort !== 'operator') desk.tuningNoted.met(place.number, ready, who);
    const tag = `"${tagOf(told)}"`;
    response.set('ETag', tag);
    response.set('Cache-Control', 'no-cache');
    if (request.get('If-None-Match') === tag) {
      response.status(304).end();
      return undefined;
    }
    return { now: rfc3339(clock.now()), ...told };
  });

  serveRoute(desk, routes.tuningStream, async ({ environment, principal, request, response }) => {
    const place = environment();
    if (desk.isStopping()) throw new Refusal('service-stopping', undefined, { retryAfter: 2 });
    const player = principal.sort === 'device' ? principal.player : undefined;
    const now = await tuningNow(desk, place, await tunings.of(place), player);
    const listener = readerOf(principal, response);
    // One key may stand for thousands of servers.
    const owner = principal.sort === 'host' ? undefined : listener.owner;
    const lastId = request.get('Last-Event-ID') ?? '';
    desk.tuningStreams.listen(place.number, { ...listener, owner }, { player, lastId, now });
    return undefined;
  });

  serveRoute(desk, routes.tuningRules, async ({ environment, request, response }) => {
    const ready = await tunings.of(environment());
    const { rules, state, installed } = ready;
    // Another one at every publication, edit and manifest, and at every start.
    const tag = `"${startedAt}.${ready.made}"`;
    response.set('ETag', tag);
    if (request.get('If-None-Match') === tag) {
      response.status(304).end();
      return undefined;
    }
    const told = { now: rfc3339(clock.now()), edition: state.edition, manifest: installed.version };
    return { ...told, ...toldRules(rules), testers: [...state.testers] };
  });

  serveRoute(desk, routes.draft, async ({ environment }) => draftAsTold(desk, environment()));

  serveRoute(desk, routes.putDraft, async ({ params, body, environment, principal }) => {
    const { value, adjustments, revision } = body;
    const tuned = {
      ...(value !== undefined && { value }),
      adjustments: adjustments.map((one) => withoutUndefined({ ...one, id: one.id ?? newId('adj') })),
    } as Tuned;
    const { number } = environment();
    const put = { environment: number, tunable: params.tunable, tuned, revision, by: nameOf(principal) };
    return writer.do('putInDraft', put);
  });

  serveRoute(desk, routes.deleteDraft, async ({ params, query, body, environment, principal }) => {
    const revision = body.revision ?? query.revision ?? null;
    const { number } = environment();
    const put = { environment: number, tunable: params.tunable, tuned: null, revision, by: nameOf(principal) };
    return writer.do('putInDraft', put);
  });

  serveRoute(desk, routes.publish, async ({ body, environment, principal }) => {
    const place = environment();
    checkMayPublish(place, principal);
    const { note, revision, only = null } = body;
    return writer.do('publishDraft', { environment: place.number, note, revision, only, by: nameOf(principal) });
  });

  serveRoute(desk, routes.editions, async ({ query, environment }) => {
    const rows = await reader.tuning.editions(environment().number, query.count, query.before);
    const last = rows.at(-1);
    return {
      editions: rows.map(editionAsTold),
      next: rows.length === query.count && last !== undefined && last.number > 1 ? last.number : null,
    };
  });

  serveRoute(desk, routes.edition, async ({ params, environment }) => {
    const row = await reader.tuning.edition(environment().number, params.edition);
    if (row === undefined) throw new Refusal('edition-unknown');
    return { ...editionAsTold(row), tunables: toldContent(contentOf(row)) };
  });

  serveRoute(desk, routes.reissue, async ({ params, body, environment, principal }) => {
    const place = environment();
    checkMayPublish(place, principal);
    const { note = `edition ${params.edition} again`, revision = null } = body;
    const reissue = { environment: place.number, edition: params.edition, note, revision, by: nameOf(principal) };
    return writer.do('reissueEdition', reissue);
  });

  serveRoute(desk, routes.explain, async ({ query, environment }) => {
    const place = environment();
    const ready = await tunings.of(place);
    const { manifest } = ready.installed.rules;
    const given = attributesIn(query.attributes);
    const known =
      query.player === undefined
        ? undefined
        : await reader.tuning.player(place.number, query.player, ready.installed.rules);
    if (query.player !== undefined && known === undefined) throw new Refusal('player-unknown');
    const attributes = { ...(known && attributesOf(known.name, known.sent, known.read)), ...given };
    const { player } = query;
    const isTester = player !== undefined && ready.testers.has(player);
    const isDraft = query.edition === 'draft' || (query.edition === undefined && isTester);
    const number =
      query.edition === undefined || query.edition === 'draft' ? ready.state.edition : Number(query.edition);
    const tuning = isDraft ? ready.draft : await tuningOf(place, ready, number);
    const at = query.at === undefined ? clock.now() : Date.parse(query.at);
    const who = { ...(player !== undefined && { player }), attributes };
    const tunables = Object.fromEntries(
      Object.keys(manifest.tunables).flatMap((name) => {
        const explained = tuning.explain(name, who, at);
        return explained === undefined ? [] : [[name, explanationAsTold(explained)] as const];
      }),
    );
    const next = player === undefined ? tuning.nextEdge(at) : (tuning.coming(who, at, 1)[0]?.at ?? null);
    return {
      now: rfc3339(clock.now()),
      at: rfc3339(at),
      edition: number,
      isDraft,
      player: player ?? null,
      attributes,
      tunables,
      nextChangeAt: next === null ? null : rfc3339(next),
    };
  });

  serveRoute(desk, routes.testers, async ({ environment }) => {
    const { testers } = await reader.tuning.state(environment().number);
    return { players: [...testers] };
  });

  serveRoute(desk, routes.setTesters, async ({ body, environment, principal }) => {
    const { number } = environment();
    const players = [...new Set(body.players)];
    await writer.do('setTesters', { environment: number, players, by: nameOf(principal) });
    return { players };
  });

  serveRoute(desk, routes.trials, async ({ environment }) => {
    const ready = await tunings.of(environment());
    return {
      trials: trialsOf(ready).map(({ tunable, adjustment }) => ({
        trial: adjustment.id,
        tunable,
        note: adjustment.note ?? null,
        measure: measureInWords(adjustment.measure),
      })),
    };
  });

  serveRoute(desk, routes.trial, async ({ params, environment }) => {
    const place = environment();
    const ready = await tunings.of(place);
    const { tunable, adjustment } = trialIn(ready, params.trial);
    const { manifest } = ready.installed.rules;
    await desk.tuningNoted.flush();
    const { values = [], measure = { key: '' } } = adjustment;
    const results = await longReads.resultsOfTrial(place.number, adjustment.id, values.length, measure, manifest);
    return trialAsTold(ready, tunable, adjustment, results);
  });

  serveRoute(desk, routes.endTrial, async ({ params, body, environment, principal }) => {
    const place = environment();
    checkMayPublish(place, principal);
    const { tunable } = trialIn(await tunings.of(place), params.trial);
    const { value, note, revision } = body;
    const end = { environment: place.number, tunable, trial: params.trial, value, note, revision };
    return writer.do('endTrial', { ...end, by: nameOf(principal) });
  });

  serveRoute(desk, routes.declareTunable, async ({ body, environment, principal }) => {
    const place = environment();
    checkMayPublish(place, principal);
    const { version, rules } = await reader.manifests.newestOf(place);
    if (Object.hasOwn(rules.manifest.tunables, body.name)) throw new Refusal('tunable-exists');
    const source = fileWithTunable(await reader.manifests.source(place.number, version), body);
    return { version: await install(environment, source, principal) };
  });

  serveRoute(desk, routes.undeclareTunable, async ({ params, environment, principal }) => {
    const place = environment();
    checkMayPublish(place, principal);
    const { version } = await reader.manifests.newestOf(place);
    const source = fileWithoutTunable(await reader.manifests.source(place.number, version), params.tunable);
    if (source === undefined) throw new Refusal('tunable-unknown');
    return { version: await install(environment, source, principal) };
  });

  async function install(environment: () => EnvironmentRow, source: string, principal: Principal): Promise<number> {
    const by = nameOf(principal);
    const manifest = await desk.manifests.manifestIn(source, by);
    return (await installManifest(desk, environment, { manifest, source, acceptMisfits: false, by })).version;
  }

  async function tuningOf(place: EnvironmentRow, ready: ReadyTuning, edition: number): Promise<Tuning> {
    if (edition === ready.state.edition) return ready.running;
    const row = await reader.tuning.edition(place.number, edition);
    if (row === undefined && edition !== 0) throw new Refusal('edition-unknown');
    return new Tuning(readEdition(contentOf(row), ready.installed.rules).rules);
  }
}

/** Tells the rules of two starts of the service apart. */
const startedAt = Date.now().toString(36);

/** Designers publish where it is not live; on a live one an admin does, or designers where the environment says so. */
function checkMayPublish(place: EnvironmentRow, principal: Principal): void {
  const isAdmin = principal.sort === 'operator' && principal.operator.role === 'admin';
  if (place.is_live === 0 || isAdmin || place.designers_publish === 1) return;
  throw new Refusal('publishing-not-allowed');
}

/** A member that was not sent is none: two adjustments are the same where they say the same. */
function withoutUndefined<Value extends object>(value: Value): Value {
  return Object.fromEntries(Object.entries(value).filter(([, one]) => one !== undefined)) as Value;
}

async function draftAsTold({ reader, tunings }: Desk, place: EnvironmentRow) {
  const { state, installed } = await tunings.of(place);
  const { manifest } = installed.rules;
  const content = underCurrentNames(state.content, manifest);
  const edits = underCurrentNames(state.edits, manifest);
  const drafted = asPublished(edits, content);
  const outdated = new Set(outdatedIn(edits, content));
  const { misfits } = readEdition(drafted, installed.rules);
  const asked = await reader.tuning.asked(place.number);
  const changes = await reader.tuning.draftChanges(place.number, 50);
  const { published } = state;
  return {
    revision: state.revision,
    edition: state.edition,
    published: published && { note: published.note, by: published.by, at: rfc3339(published.at) },
    tunables: Object.fromEntries(
      Object.entries(manifest.tunables).map(([name, { about, schema, starting }]) => [
        name,
        {
          ...toldTuned(tunedIn(drafted, name)),
          about: about ?? null,
          schema: schema as Json,
          starting,
          isEdited: Object.hasOwn(edits, name),
          published: toldTuned(tunedIn(content, name)),
          editedBy: edits[name]?.by ?? null,
          editedAt: edits[name]?.at ?? null,
          isOutdated: outdated.has(name),
          misfits: misfits.filter(({ tunable }) => tunable === name).map(({ detail }) => detail),
          asked: asked
            .filter(({ tunable }) => tunable === name)
            .slice(0, 10)
            .map(({ build, at }) => ({ build, at: rfc3339(at) })),
        },
      ]),
    ),
    undeclared: [...new Set([...Object.keys(content), ...Object.keys(edits)])].filter(
      (name) => !Object.hasOwn(manifest.tunables, name),
    ),
    differences: [...tuningDifferences(content, drafted, manifest)],
    changes: changes.map(({ revision, tunable, words, by, at }) => ({ revision, tunable, words, by, at: rfc3339(at) })),
  };
}

function editionAsTold({ number, note, by, at, reissue_of, differences }: EditionRow) {
  return {
    edition: number,
    note,
    by,
    at: rfc3339(at),
    reissueOf: reissue_of,
    differences: JSON.parse(differences) as string[],
  };
}

/** What the shapes of the answers call mutable. */
type Told = { value?: Json; adjustments: never[] };

function toldTuned(tuned: Tuned): Told {
  return tuned as unknown as Told;
}

function toldContent(content: { readonly [name: string]: Tuned }): { [name: string]: Told } {
  return content as unknown as { [name: string]: Told };
}

function toldRules({ tunables, types }: ReadyTuning['rules']) {
  const told = Object.entries(tunables).map(
    ([name, { value, from, adjustments }]) => [name, { value, from, adjustments: adjustments as never[] }] as const,
  );
  return { tunables: Object.fromEntries(told), types };
}

function attributesIn(text: string | undefined): { readonly [name: string]: AttributeValue } {
  if (text === undefined) return {};
  try {
    const given: unknown = JSON.parse(text);
    const entries = Object.entries(given as object);
    const isRight = entries.every(([, one]) => ['string', 'number', 'boolean'].includes(typeof one));
    if (typeof given === 'object' && !Array.isArray(given) && isRight) return Object.fromEntries(entries);
  } catch {
    // Said below.
  }
  throw new Refusal(
    'request-invalid',
    'In the query at /attributes: must be a JSON object of texts, numbers and booleans, such as {"country":"PT"}.',
  );
}

function explanationAsTold({ value, adjustment, trialValue, from, tried }: Explained) {
  const won = tried.find((one) => one.failed === null);
  const before = tried
    .filter((one) => one.failed !== null)
    .map((one) => `“${one.note ?? one.adjustment}”: ${one.failed}`);
  const what =
    won === undefined
      ? `the base value, by the ${from}`
      : `“${won.note ?? won.adjustment}”${trialValue === undefined ? '' : `, value ${trialValue + 1} of the trial`}`;
  return {
    value,
    why: `${what}${before.length === 0 ? '' : `; not ${before.join('; not ')}`}`,
    from: won === undefined ? from : ('adjustment' as const),
    adjustment: adjustment ?? null,
    trialValue: trialValue ?? null,
    tried: tried.map((one) => ({ adjustment: one.adjustment, note: one.note ?? null, failed: one.failed })),
  };
}

interface FoundTrial {
  readonly tunable: string;
  readonly adjustment: Adjustment;
}

function trialsOf({ rules }: ReadyTuning): readonly FoundTrial[] {
  return Object.entries(rules.tunables).flatMap(([tunable, { adjustments }]) =>
    adjustments.filter(({ values }) => values !== undefined).map((adjustment) => ({ tunable, adjustment })),
  );
}

function trialIn(ready: ReadyTuning, id: string): FoundTrial {
  const found = trialsOf(ready).find(({ adjustment }) => adjustment.id === id);
  if (found === undefined) throw new Refusal('trial-unknown');
  return found;
}

function measureInWords({ key, path = '' }: Measure = { key: '' }): string {
  if (key.startsWith('currency/')) return `${key.slice('currency/'.length)} earned since`;
  return path === '' ? key : `${path} of ${key}`;
}

function trialAsTold(
  { state, installed }: ReadyTuning,
  tunable: string,
  adjustment: Adjustment,
  { results, bins, verdict }: TrialResults,
): Trial {
  const { values = [], measure = { key: '' }, window } = adjustment;
  const { better, unit } = meaningOf(measure, installed.rules.manifest);
  return {
    trial: adjustment.id,
    tunable,
    note: adjustment.note ?? null,
    edition: state.edition,
    measure,
    better,
    unit,
    window: window ?? null,
    values: results.map((result, index) => ({
      value: values[index]?.value ?? null,
      share: values[index]?.share ?? 0,
      ...result,
      interval: result.interval && [...result.interval],
      counts: [...result.counts],
      difference: result.difference && { ...result.difference, interval: [...result.difference.interval] },
    })),
    bins: [...bins],
    verdict,
    words: verdictInWords(adjustment, { results, bins, verdict }, unit, better),
  };
}

function meaningOf({ key }: Measure, manifest: Manifest) {
  const declared = declarationOf(key, manifest);
  const declaration = isProblem(declared) ? undefined : declared.declaration;
  if (declaration?.kind !== 'score')
    return { better: null, unit: declaration?.kind === 'currency' ? key.slice('currency/'.length) : null };
  return { better: declaration.better, unit: declaration.unit ?? null };
}

/** What can be told of a trial, plainly. */
function verdictInWords(
  adjustment: Adjustment,
  { results, verdict }: TrialResults,
  unit: string | null,
  better: 'higher' | 'lower' | null,
): string {
  const values = adjustment.values ?? [];
  if (verdict === 'too-few') {
    const fewest = results.reduce((least, one) => Math.min(least, one.measured), Infinity);
    return `There is not enough to tell yet: of one value only ${fewest} players have a result, and it takes 30 of each.`;
  }
  if (verdict === 'no-clear-difference') {
    return 'No difference can be told: what there is may be chance (95 % intervals).';
  }
  const shown = (amount: number) => shownResult(Math.round(amount * 1000) / 1000, unit ?? undefined);
  const clear = results.flatMap(({ difference }, index) => {
    if (difference === null || !difference.isClear) return [];
    const [low = 0, high = 0] = difference.interval;
    const is = difference.mean > 0 ? 'more' : 'less';
    const isBetter =
      better === null ? '' : (better === 'higher') === difference.mean > 0 ? ', which is better' : ', which is worse';
    const [near, far] = [Math.min(Math.abs(low), Math.abs(high)), Math.max(Math.abs(low), Math.abs(high))];
    return `With ${short(values[index]?.value ?? null)} it is ${shown(Math.abs(difference.mean))} ${is} than with ${short(values[0]?.value ?? null)}${isBetter} (95 %: ${shown(near)} to ${shown(far)}).`;
  });
  return clear.join(' ');
}
