import { expect } from 'chai';
import {
  isDoubtful,
  percentileOf,
  rewardFor,
  rewardInWords,
  rewardTransaction,
  shownResult,
  standingAfter,
  type Reward,
} from '@vekkon/core';
import { lastTurn, nextTurn, seasonMistake, seasonOfResult, spreadOf } from '@vekkon/core/boards';
import { readManifestFile } from '@vekkon/core/manifest-file';

const at = (time: string) => Date.parse(time);

describe('a result', () => {
  it('is shown by its unit', () => {
    const shown = [
      [71_234, 'milliseconds', '1:11.234'],
      [999.6, 'milliseconds', '0:01.000'],
      [3_723_004, 'milliseconds', '1:02:03.004'],
      [-1_500, 'milliseconds', '−0:01.500'],
      [51.6, 'seconds', '51.6 seconds'],
      [41_972, 'metres', '41,972 metres'],
      [17, undefined, '17'],
    ] as const;
    for (const [value, unit, words] of shown) expect(shownResult(value, unit)).to.equal(words);
  });

  it('counts as best, newest or sum, and of equal ones the earlier stays', () => {
    const before = { value: 10, reached: 1 };
    const after = (value: number, counts: 'best' | 'newest' | 'sum', better: 'higher' | 'lower' = 'higher') =>
      standingAfter(before, { value, reached: 2 }, { better, counts });
    expect(after(12, 'best')).to.deep.equal({ value: 12, reached: 2, kept: true });
    expect(after(12, 'best', 'lower')).to.deep.equal({ ...before, kept: false });
    expect(after(10, 'best')).to.deep.equal({ ...before, kept: false });
    expect(after(3, 'newest')).to.deep.equal({ value: 3, reached: 2, kept: true });
    expect(after(3, 'sum')).to.deep.equal({ value: 13, reached: 2, kept: true });
    expect(standingAfter(undefined, { value: 0, reached: 2 }, { better: 'lower', counts: 'sum' }).kept).to.equal(true);
  });

  it('is doubtful beyond what the manifest says, and not at it', () => {
    const doubtful = { below: 5, above: 90 };
    expect([4, 5, 90, 91].map((value) => isDoubtful(value, { doubtful }))).to.deep.equal([true, false, false, true]);
    expect(isDoubtful(1e9, {})).to.equal(false);
  });

  it('is at least as good as a part of the field', () => {
    expect([percentileOf(1, 1), percentileOf(1, 4), percentileOf(4, 4), percentileOf(2, 3)]).to.deep.equal([
      100, 100, 25, 66.67,
    ]);
  });
});

describe('a season', () => {
  it('turns at midnight, on Mondays, on the first, or by a cron expression, in UTC', () => {
    const now = at('2026-11-25T13:30:00Z');
    const turns = (season: string) => new Date(nextTurn(season, now) ?? 0).toISOString();
    expect(turns('daily')).to.equal('2026-11-26T00:00:00.000Z');
    expect(turns('weekly')).to.equal('2026-11-30T00:00:00.000Z');
    expect(turns('monthly')).to.equal('2026-12-01T00:00:00.000Z');
    expect(turns('0 6 * * 1')).to.equal('2026-11-30T06:00:00.000Z');
    expect(nextTurn('none', now)).to.equal(null);
    // A turn is over the moment that it comes.
    expect(nextTurn('daily', at('2026-11-26T00:00:00Z'))).to.equal(at('2026-11-27T00:00:00Z'));
  });

  it('that was missed several times has turned at the last of them', () => {
    const since = at('2026-11-26T00:00:00Z');
    expect(lastTurn('daily', since, at('2026-11-29T10:00:00Z'))).to.equal(at('2026-11-29T00:00:00Z'));
    expect(lastTurn('daily', since, since)).to.equal(since);
    expect(lastTurn('weekly', since, at('2026-11-29T10:00:00Z'))).to.equal(null);
  });

  it('takes what was made before its turn, until it is closed', () => {
    const open = { number: 2, turnedAt: null, closedAt: null };
    const turned = { number: 1, turnedAt: 100, closedAt: null };
    expect(seasonOfResult([turned, open], 99)?.number).to.equal(1);
    expect(seasonOfResult([turned, open], 100)?.number).to.equal(2);
    expect(seasonOfResult([{ ...turned, closedAt: 200 }, open], 99)?.number).to.equal(2);
  });

  it('that never comes, comes too often, or is none is refused', () => {
    expect(seasonMistake('0 0 31 2 *')).to.contain('never comes');
    expect(seasonMistake('*/10 * * * * *')).to.contain('more than once a minute');
    for (const wrong of ['fortnightly', '61 * * * *', '* * *', ''])
      expect(seasonMistake(wrong)).to.contain('is no season');
    for (const right of ['none', 'daily', 'weekly', 'monthly', '0 6 * * 1', '*/5 * * * *']) {
      expect(seasonMistake(right)).to.equal(undefined);
    }
  });
});

describe('a reward', () => {
  const feather = (amount: number) => ({ op: 'credit', key: 'currency/feather', amount, reason: '' }) as const;
  const rewards: readonly Reward[] = [
    { ranks: [1, 3], changes: [feather(500)] },
    { share: 10, changes: [feather(100)] },
  ];

  it('goes to ranks and to a part of the field, by the first line that fits', () => {
    expect([1, 3, 4, 10, 11].map((rank) => rewardFor(rank, 100, rewards))).to.deep.equal([0, 0, 1, 1, undefined]);
    expect(rewardFor(1, 5, rewards.slice(1))).to.equal(undefined);
  });

  it('says board, season and rank for a reason', () => {
    const given = rewardTransaction(rewards[0]!, { board: 'gorge-run', season: 3, rank: 2 }, {
      items: {},
    } as never);
    expect(given.changes).to.deep.equal([{ ...feather(500), reason: 'gorge-run, season 3: rank 2' }]);
    expect(rewardInWords(rewards[0]!)).to.equal('500 of feather');
  });

  const head =
    'manifest: 1\ngame: highfell-gliders\ncurrencies: { feather: { starting: 5, ceiling: 10 } }\nitems: { flare: { stack: 5 } }\ninventories: { pack: { capacity: 2 } }\nboards:\n  gorge-run:\n    better: lower\n    counts: best\n';
  const mistakeOf = (more: string) => {
    const read = readManifestFile(head + more);
    if ('manifest' in read) return 'none';
    const [{ line, detail } = { line: 0, detail: '' }] = read.mistakes;
    return `${line}: ${detail}`;
  };
  const season = '    season: weekly\n';
  const giving = (change: string, ranks = '[1, 3]') =>
    `${season}    rewards:\n      - { ranks: ${ranks}, changes: [${change}] }\n`;
  const mistakes: readonly (readonly [why: string, body: string, says: string])[] = [
    ['above the ceiling', giving('{ op: credit, key: currency/feather, amount: 6 }'), '12: This reward can’t be given'],
    ['of an unknown item', giving('{ op: gain, key: inventory/pack, item: flair, count: 1 }'), '12: This reward'],
    [
      'of an unknown currency',
      giving('{ op: credit, key: currency/fether, amount: 1 }'),
      'did you mean "currency/feather"',
    ],
    ['that takes away', giving('{ op: debit, key: currency/feather, amount: 1 }'), 'A reward adds to what is there'],
    ['of no shape', giving('{ op: credit, key: currency/feather, amount: -1 }'), '12: This reward'],
    [
      'for no rank',
      giving('{ op: credit, key: currency/feather, amount: 1 }', '[3, 1]'),
      'write the better rank first',
    ],
    [
      'without seasons',
      '    rewards:\n      - { ranks: [1, 1], changes: [{ op: credit, key: currency/feather, amount: 1 }] }\n',
      'has no seasons',
    ],
    [
      'for nobody',
      `${season}    rewards:\n      - { changes: [{ op: credit, key: currency/feather, amount: 1 }] }\n`,
      '12: ',
    ],
    ['of a season that never comes', '    season: "0 0 31 2 *"\n', '10: "0 0 31 2 *" never comes'],
  ];
  for (const [why, body, says] of mistakes) {
    it(`${why} is found when the manifest is checked, with its line`, () => {
      expect(mistakeOf(body).replaceAll("'", '’')).to.contain(says);
    });
  }

  it('that can be given is taken', () => {
    expect(mistakeOf(giving('{ op: credit, key: currency/feather, amount: 5 }'))).to.equal('none');
  });
});

describe('how results are spread', () => {
  it('is told in bins, with what lies far apart by itself', () => {
    const values = [...Array.from({ length: 100 }, (_, index) => index), 1_000_000];
    const spread = spreadOf(values);
    expect(spread).to.include({ count: 101, lowest: 0, highest: 1_000_000, median: 50, above: 1, below: 0 });
    expect(spread.bins.reduce((sum, { count }) => sum + count, 0)).to.equal(100);
    expect(spread.bins[0]).to.deep.equal({ from: 0, until: 5, count: 5 });
  });

  it('is nothing of nothing, and one of one', () => {
    expect(spreadOf([])).to.include({ count: 0, lowest: null, median: null });
    expect(spreadOf([7])).to.include({ count: 1, lowest: 7, highest: 7 });
    expect(spreadOf([7]).bins.reduce((sum, { count }) => sum + count, 0)).to.equal(1);
  });
});
