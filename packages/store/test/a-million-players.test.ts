import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { expect } from 'chai';
import type { Manifest } from '@vekkon/core';
import { readManifestFile } from '@vekkon/core/manifest-file';
import type { Refusal } from '@vekkon/protocol';
import { openStore, pruneSteps, verifyStore, type Store } from '@vekkon/store';
import { plainJoin } from './plain.js';

const day = 24 * 60 * 60 * 1000;

function manifestWith(most: number, more = ''): Manifest {
  const source = `manifest: 1
game: highfell-gliders
progress:
  climbs: { schema: { type: integer, maximum: ${most}, default: 0 } }
  glider: { family: { atMost: 6 }, schema: { type: object, properties: { wear: { type: integer, maximum: ${most}, default: 0 } } } }
${more}`;
  const read = readManifestFile(source);
  if ('mistakes' in read) throw new Error(JSON.stringify(read.mistakes));
  return read.manifest;
}

describe('a store of many players', () => {
  const clock = { at: Date.parse('2026-11-23T12:00:00Z'), now: () => clock.at, monotonic: () => clock.at };
  let folder: string;
  let store: Store;
  let environment: number;
  beforeEach(async () => {
    clock.at = Date.parse('2026-11-23T12:00:00Z');
    folder = mkdtempSync(path.join(tmpdir(), 'vekkon-many-'));
    store = await openStore(folder, { clock });
    ({ number: environment } = await store.writer.do('createEnvironment', {
      game: 'highfell-gliders',
      name: 'dev',
      isLive: false,
      leaseSeconds: 60,
      manifest: { manifest: manifestWith(100), source: '' },
      origins: null,
      keys: [],
      by: 'maren@highfell.example',
    }));
  });
  afterEach(async () => {
    await store.close();
    rmSync(folder, { recursive: true });
  });

  const join = (player: string, name: string | null = null, session = `ses_${player}`) =>
    store.writer.do('join', { ...plainJoin(environment, player, session), name });
  const put = (player: string, key: string, value: number | { readonly wear: number }) =>
    store.writer.do('putRecord', { environment, player, key, value, ifRevision: null, by: 'the shop', device: null });
  const found = async (search: string) =>
    (await store.longReads.playersFound(environment, search, 200)).players.map(({ id }) => id);

  describe('finds players', () => {
    it('by any part of name or id, in any case and script, those who joined last first', async () => {
      for (const [id, name] of [
        ['p-1', 'Maren Skye'],
        ['p-2', 'MARENKA'],
        ['P-3', 'Ωκεανός'],
        ['p-4', '風の谷'],
        ['p-5', 'Ｍａｒｅｎ'],
      ] as const) {
        clock.at += 1_000;
        await join(id, name);
      }
      expect(await found('aren')).to.deep.equal(['p-5', 'p-2', 'p-1']);
      expect(await found('ΩΚΕΑΝ')).to.deep.equal(['P-3']);
      expect(await found('風の谷')).to.deep.equal(['p-4']);
      expect(await found('p-3')).to.deep.equal(['P-3']);
      expect(await found('n s')).to.deep.equal(['p-1']);
      expect(await found('"mar')).to.deep.equal([]);
      // Of short texts too, where there are few players.
      expect([await found('の'), await found('ka')]).to.deep.equal([['p-4'], ['p-2']]);
    });

    it('under the name that they have now, and no more when they are erased', async () => {
      await join('p-1', 'Maren');
      await join('p-1', 'Tobin', 'ses_again');
      expect([await found('maren'), await found('tobin')]).to.deep.equal([[], ['p-1']]);
      await store.writer.do('erasePlayer', { environment, player: 'p-1', by: null });
      expect([await found('tobin'), await found('p-1')]).to.deep.equal([[], []]);
    });

    it('page by page, each once, also where counting has stopped', async () => {
      const ids = Array.from({ length: 1_100 }, (_, index) => `pilot-${index}`);
      await Promise.all(ids.map((id) => put(id, 'progress/climbs', 1)));
      const seen: string[] = [];
      let after: string | undefined;
      do {
        const page = await store.longReads.playersFound(environment, 'pilot', 200, after);
        expect([page.total, page.isCapped]).to.deep.equal([1_000, true]);
        seen.push(...page.players.map(({ id }) => id));
        after = page.next ?? undefined;
      } while (after !== undefined);
      expect(seen).to.have.length(1_100).and.have.members(ids);
      const some = await store.longReads.playersFound(environment, 'pilot-10', 5);
      expect([some.total, some.isCapped]).to.deep.equal([111, false]);
      const all = await store.reader.players.page(environment, 10);
      expect([all.total, all.isCapped]).to.deep.equal([1_100, false]);
    });

    it('only those in a session, who joined lately, or of whom something is unsettled, in any page', async () => {
      const ids = Array.from({ length: 1_100 }, (_, index) => `pilot-${index}`);
      await Promise.all(ids.map((id) => put(id, 'progress/climbs', 1)));
      for (const id of ['pilot-3', 'pilot-700', 'pilot-1050']) {
        clock.at += 1_000;
        await join(id, id);
      }
      const page = async (filters: object, search?: string, after?: string) =>
        search === undefined
          ? store.longReads.playersPage(environment, 2, after, filters)
          : store.longReads.playersFound(environment, search, 500, after, filters);
      const idsOf = ({ players }: Awaited<ReturnType<typeof page>>) => players.map(({ id }) => id);
      const first = await page({ inSession: true });
      expect([idsOf(first), first.total]).to.deep.equal([['pilot-1050', 'pilot-700'], 3]);
      expect(idsOf(await page({ inSession: true }, undefined, first.next!))).to.deep.equal(['pilot-3']);
      const lately = await page({ joinedSince: clock.at - 1_500 });
      expect([idsOf(lately), lately.total, lately.next]).to.deep.equal([['pilot-1050', 'pilot-700'], 2, null]);
      expect(idsOf(await page({ hasUnsettled: true }))).to.deep.equal([]);
      // Beside a search that finds more than is counted: each page says where to go on, though few of it are shown.
      const found: string[] = [];
      for (let after: string | null | undefined; after !== null;) {
        const some = await page({ inSession: true }, 'pilot', after);
        found.push(...idsOf(some));
        after = some.next;
      }
      expect(found.toSorted()).to.deep.equal(['pilot-1050', 'pilot-3', 'pilot-700']);
    });
  });

  describe('installs a manifest that was counted beside the writer', () => {
    const place = () => store.reader.environments.one(environment);
    const install = async (watch: string, counted: Awaited<ReturnType<typeof count>>, recountsAtMost = 100) =>
      store.writer.do('installManifest', {
        environment,
        manifest: manifestWith(5),
        source: '',
        acceptMisfits: false,
        counted,
        watch,
        recountsAtMost,
        countedAt: await place(),
        by: 'maren@highfell.example',
      });
    const count = async () => store.longReads.misfitsBeside(await place(), manifestWith(5));
    const refusalOf = (outcome: Promise<unknown>) =>
      outcome.then(
        (done) => done,
        ({ code, facts }: Refusal) => ({ code, misfits: facts.misfits }),
      );

    it('with what changed meanwhile counted anew, and nothing else', async () => {
      await put('p-fits', 'progress/climbs', 3);
      await put('p-misfit', 'progress/climbs', 50);
      await put('p-mended', 'progress/climbs', 60);
      await put('p-mended', 'progress/glider/heron', { wear: 9 });
      await store.writer.do('watchPlayers', { watch: 'one' });
      const counted = await count();
      await put('p-mended', 'progress/climbs', 2);
      await put('p-late', 'progress/glider/heron', { wear: 80 });
      await put('p-fits', 'progress/climbs', 70);
      const refusal = (await refusalOf(install('one', counted))) as {
        code: string;
        misfits: readonly { key: string; count: number }[];
      };
      expect(refusal.code).to.equal('manifest-misfits');
      expect(refusal.misfits.map(({ key, count: many }) => [key, many])).to.deep.equal([
        ['progress/climbs', 2],
        ['progress/glider', 2],
      ]);
      const diff = await store.longReads.diff(await place(), manifestWith(5));
      expect(diff.misfits.map(({ key, count: many }) => [key, many])).to.deep.equal([
        ['progress/climbs', 2],
        ['progress/glider', 2],
      ]);
    });

    it('with those of many who changed meanwhile counted beside the writer too', async () => {
      await store.writer.do('watchPlayers', { watch: 'many' });
      const counted = await count();
      await put('p-fits', 'progress/climbs', 2);
      await put('p-misfit', 'progress/climbs', 80);
      await put('p-busy', 'progress/climbs', 90);
      const more = (await install('many', counted, 5)) as { readonly changed: readonly number[] };
      expect(more.changed).to.have.lengthOf(3);
      const again = await store.longReads.misfitsBesideAgain(await place(), manifestWith(5), counted, more.changed);
      const numbersOf = (all: typeof counted) => all.map(({ key, count: many }) => [key, many]);
      expect(numbersOf(again)).to.deep.equal(numbersOf(await count()));
      await put('p-busy', 'progress/climbs', 1);
      const refusal = (await refusalOf(install('many', again, 5))) as { code: string; misfits: typeof counted };
      expect(numbersOf(refusal.misfits)).to.deep.equal(numbersOf(await count()).filter(([, many]) => many !== 0));
    });

    it('only where it was counted beside what is installed, and since its watch began', async () => {
      const counted = await count();
      expect(await install('never-begun', counted)).to.deep.equal({ countAgain: true });
      await store.writer.do('watchPlayers', { watch: 'two' });
      expect(await install('two', await count())).to.deep.equal({ version: 2 });
      await store.writer.do('watchPlayers', { watch: 'three' });
      const before = { ...(await place()), manifest_version: 1 };
      const { writer } = store;
      const outdated = writer.do('installManifest', {
        environment,
        manifest: manifestWith(4),
        source: '',
        acceptMisfits: false,
        counted,
        watch: 'three',
        recountsAtMost: 100,
        countedAt: before,
        by: 'maren@highfell.example',
      });
      expect(await outdated).to.deep.equal({ countAgain: true });
    });
  });

  it('prunes what is outdated in small commands, and keeps the newest session of each', async () => {
    const pass = (days: number) => (clock.at += days * day);
    for (const stay of ['a', 'b', 'c']) {
      await join('p-1', null, `ses_${stay}`);
      await store.writer.do('save', {
        environment,
        session: `ses_${stay}`,
        device: null,
        number: 1,
        seen: null,
        answered: null,
        transactions: [{ changes: [{ op: 'increase', key: 'progress/climbs', path: '', by: 1 }] }],
        leave: true,
      });
      pass(1);
    }
    // In steps, as the clock of a service goes that runs on: a jump would be taken for one.
    for (let steps = 0; steps < 100; steps++) {
      pass(2);
      await store.writer.do('noteTime', {});
    }
    for (const step of pruneSteps) {
      for (let after: number | null = 0; after !== null;) {
        after = await store.writer.do('prune', { step, after, atMost: 1 });
      }
    }
    const row = await store.reader.players.one(environment, 'p-1');
    const sessions = await store.reader.players.sessions(row!.number, 10);
    expect(sessions.map(({ id, last_outcome }) => [id, last_outcome])).to.deep.equal([['ses_c', null]]);
    expect((await verifyStore(folder)).faults).to.deep.equal([]);
  });

  it('looks at some thousand lines of the activity for a page, and goes on from there to what is rare', async () => {
    const about = { environment, by: 'ridge-eu-1', detail: '' };
    const note = (what: string, player: string) => store.writer.do('note', { ...about, what, player });
    await note('came-late', 'p-rare');
    clock.at += day;
    for (let from = 0; from < 2_600; from += 200) {
      await Promise.all(Array.from({ length: 200 }, (_, index) => note('joined', `p-${from + index}`)));
    }
    const { activity } = store.reader;
    const rare = { by: 'ridge-eu-1', what: 'came-late' };
    const first = await activity.page(environment, 10, rare);
    expect([first.rows, typeof first.next]).to.deep.equal([[], 'number']);
    const second = await activity.page(environment, 10, rare, { before: first.next ?? 0 });
    expect([second.rows.map(({ player }) => player), second.next]).to.deep.equal([['p-rare'], null]);
    // By an index of its own, and by time, it is found at once.
    const found = [{ player: 'p-rare' }, { failed: true }, { until: clock.at }, { player: 'p-rare', failed: true }];
    for (const filters of found) {
      const { rows, next } = await activity.page(environment, 10, { ...filters, by: undefined });
      const isRare = rows.filter(({ what }) => what === 'came-late').map(({ player }) => player);
      expect([isRare, next]).to.deep.equal([['p-rare'], null]);
    }
    expect(await activity.page(environment, 10, { since: clock.at + 1 })).to.deep.equal({ rows: [], next: null });
    const seen: string[] = [];
    for (let next: number | null = Number.MAX_SAFE_INTEGER; next !== null;) {
      const page: { rows: readonly { player: string | null }[]; next: number | null } = await activity.page(
        environment,
        500,
        { since: clock.at },
        { before: next },
      );
      seen.push(...page.rows.map(({ player }) => player ?? ''));
      next = page.next;
    }
    expect([seen.length, new Set(seen).size, seen[0], seen.at(-1)]).to.deep.equal([2_600, 2_600, 'p-2599', 'p-0']);
  });
});
