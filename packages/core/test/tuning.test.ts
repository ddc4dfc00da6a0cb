import { expect } from 'chai';
import type { Json, Manifest } from '@vekkon/core';
import { readManifestFile } from '@vekkon/core/manifest-file';
import { checkSchema } from '@vekkon/core/schema-check';
import {
  asPublished,
  attributesFromRecords,
  audienceInWords,
  checkTuned,
  outdatedIn,
  pointOf,
  readEdition,
  Tuning,
  tuningDifferences,
  withEdit,
  type Adjustment,
  type EditionContent,
} from '@vekkon/core/tuning';
import { trialResults } from '@vekkon/core/trials';

const gliders = manifestOf(`
manifest: 1
game: highfell-gliders
progress:
  flight:
    schema: { type: object, properties: { chapter: { type: integer, default: 1 }, metres: { type: number, default: 0 } } }
currencies: { feather: 40 }
boards: { gorge-run: { better: lower, counts: best } }
attributes:
  chapter: { from: progress/flight, path: /chapter }
  squad: { type: string }
tunables:
  thermal-strength: { formerly: [lift], schema: { type: number, minimum: 0.1, maximum: 5, default: 1 } }
  storm-warning: false
  camp-note: ""
`);

function manifestOf(text: string): Manifest {
  const read = readManifestFile(text);
  if ('manifest' in read) return read.manifest;
  throw new Error(JSON.stringify(read.mistakes));
}

const rules = { manifest: gliders, check: checkSchema };
const noon = Date.parse('2026-11-27T12:00:00Z');
const nobody = { attributes: {} };

function tuningOf(content: EditionContent): Tuning {
  return new Tuning(readEdition(content, rules).rules);
}

function strengths(...adjustments: Adjustment[]): Tuning {
  return tuningOf({ 'thermal-strength': { adjustments } });
}

describe('what a tunable is', () => {
  it('is what the manifest says where no edition says otherwise', () => {
    const tuning = tuningOf({ 'thermal-strength': { value: 2, adjustments: [] } });
    expect(tuning.values(nobody, noon)).to.deep.equal({
      'thermal-strength': 2,
      'storm-warning': false,
      'camp-note': '',
    });
  });

  it('is what the first adjustment says that matches', () => {
    const tuning = strengths(
      { id: 'late', value: 3, audience: { attribute: 'chapter', atLeast: 5 } },
      { id: 'all', value: 2 },
    );
    expect(tuning.pick('thermal-strength', { attributes: { chapter: 5 } }, noon)).to.deep.equal({
      value: 3,
      adjustment: 'late',
    });
    expect(tuning.pick('thermal-strength', { attributes: { chapter: 4 } }, noon)?.value).to.equal(2);
    expect(tuning.pick('thermal-strength', nobody, noon)?.value).to.equal(2);
  });

  it('opens with the first millisecond of a window, and closes before the last', () => {
    const window = { from: '2026-11-30T23:59:59Z', until: '2026-12-01T00:00:00Z' };
    const tuning = strengths({ id: 'turn', value: 2, window });
    const at = (time: string) => tuning.pick('thermal-strength', nobody, Date.parse(time))?.value;
    expect(at('2026-11-30T23:59:58.999Z')).to.equal(1);
    expect(at('2026-11-30T23:59:59.000Z')).to.equal(2);
    expect(at('2026-11-30T23:59:59.999Z')).to.equal(2);
    expect(at('2026-12-01T00:00:00.000Z')).to.equal(1);
    expect(tuning.nextEdge(noon)).to.equal(Date.parse(window.from));
    expect(tuning.nextEdge(Date.parse(window.from))).to.equal(Date.parse(window.until));
    expect(tuning.nextEdge(Date.parse(window.until))).to.equal(null);
  });

  it('takes a window by the moment that it names, whatever zone it is written in', () => {
    // The hour that the clocks of Berlin show twice.
    const tuning = strengths({
      id: 'night',
      value: 2,
      window: { from: '2026-10-25T02:30:00+02:00', until: '2026-10-25T02:30:00+01:00' },
    });
    expect(tuning.pick('thermal-strength', nobody, Date.parse('2026-10-25T01:00:00Z'))?.value).to.equal(2);
    expect(tuning.pick('thermal-strength', nobody, Date.parse('2026-10-25T01:30:00Z'))?.value).to.equal(1);
  });

  it('says what changes by itself, and only what is another value', () => {
    const tuning = strengths(
      { id: 'ie', value: 4, audience: { attribute: 'country', is: 'IE' }, window: { from: '2026-11-27T13:00:00Z' } },
      { id: 'all', value: 2, window: { from: '2026-11-27T14:00:00Z', until: '2026-11-27T15:00:00Z' } },
    );
    expect(tuning.coming({ attributes: { country: 'PT' } }, noon, 10)).to.deep.equal([
      { at: Date.parse('2026-11-27T14:00:00Z'), values: { 'thermal-strength': 2 } },
      { at: Date.parse('2026-11-27T15:00:00Z'), values: { 'thermal-strength': 1 } },
    ]);
  });

  it('compares builds as semantic versions', () => {
    const tuning = strengths({ id: 'new', value: 2, audience: { attribute: 'build', atLeast: '1.9.0' } });
    const of = (build: string) => tuning.pick('thermal-strength', { attributes: { build } }, noon)?.value;
    expect([of('1.10.0'), of('1.9.0'), of('1.9.0-rc.1'), of('1.8.12'), of('camp')]).to.deep.equal([2, 2, 1, 1, 1]);
  });

  it('nests all, any and not, and takes nobody by what is not known', () => {
    const audience = {
      all: [
        { attribute: 'country', isOneOf: ['PT', 'IE'] },
        {
          not: {
            any: [
              { attribute: 'platform', is: 'web' },
              { attribute: 'chapter', below: 3 },
            ],
          },
        },
      ],
    };
    const tuning = strengths({ id: 'some', value: 2, audience });
    const of = (attributes: { [name: string]: string | number }) =>
      tuning.pick('thermal-strength', { attributes }, noon)?.value;
    expect(of({ country: 'IE', chapter: 3 })).to.equal(2);
    expect(of({ country: 'IE', chapter: 2 })).to.equal(1);
    expect(of({ country: 'IE', platform: 'web' })).to.equal(1);
    expect(of({ chapter: 9 })).to.equal(1);
    const missing = strengths({ id: 'x', value: 2, audience: { attribute: 'squad', isMissing: true } });
    expect(missing.pick('thermal-strength', nobody, noon)?.value).to.equal(2);
  });

  it('says why: what failed in each adjustment before the one that won', () => {
    const tuning = strengths(
      { id: 'a', note: 'Evening', value: 2, window: { from: '2026-11-27T18:00:00Z' } },
      { id: 'b', value: 3, audience: { attribute: 'country', is: 'PT' } },
      { id: 'c', value: 4, percent: 0.001 },
      { id: 'd', value: 5 },
    );
    const explained = tuning.explain('thermal-strength', { player: 'p-10442', attributes: { country: 'IE' } }, noon);
    expect(explained?.value).to.equal(5);
    expect(explained?.tried.map(({ failed }) => failed)).to.deep.equal([
      'its window opens Fri 27 Nov 18:00 UTC',
      'country is "IE", and it is for players in Portugal',
      `it is for 0.001 % of players, and they stand at ${pointOf('c', 'p-10442').toFixed(2)}`,
      null,
    ]);
  });

  it('reads what stands under a former name, and leaves out what does not fit any more', () => {
    const { rules: read, misfits } = readEdition(
      {
        lift: { value: 2, adjustments: [{ id: 'far', value: 9 }] },
        'camp-note': { value: 7, adjustments: [] },
        gone: { value: 1, adjustments: [] },
      },
      rules,
    );
    expect(read.tunables['thermal-strength']).to.deep.equal({ value: 2, from: 'edition', adjustments: [] });
    expect(read.tunables['camp-note']?.value).to.equal('');
    expect(misfits.map(({ tunable, adjustment }) => [tunable, adjustment])).to.deep.equal([
      ['gone', null],
      ['thermal-strength', 'far'],
      ['camp-note', null],
    ]);
  });

  it('reads attributes from records as the game reads them', () => {
    const records = new Map([['progress/flight', { revision: 3, value: { chapter: 7 } }]]);
    expect(attributesFromRecords(records, rules)).to.deep.equal({ chapter: 7 });
    expect(attributesFromRecords(new Map(), rules)).to.deep.equal({ chapter: 1 });
  });
});

describe('a percentage', () => {
  const players = Array.from({ length: 100_000 }, (_, index) => `p-${index}`);

  /** Pearson's statistic of counts against an even spread. */
  function chiSquare(counts: readonly number[], expected: number): number {
    return counts.reduce((sum, count) => sum + (count - expected) ** 2 / expected, 0);
  }

  it('takes as many as it says: evenly spread over 100,000 players (chi-square)', () => {
    for (const salt of ['adj_1', 'adj_2', 'evening-thermals']) {
      const counts = Array.from({ length: 100 }, () => 0);
      for (const player of players) counts[Math.floor(pointOf(salt, player))]! += 1;
      // With 99 degrees of freedom one in a thousand is above 148.
      expect(chiSquare(counts, 1000), salt).to.be.below(149);
    }
  });

  it('is independent of every other (chi-square on pairs)', () => {
    const salts = ['adj_1', 'adj_2', 'adj_3', 'adj_1/values'];
    for (const [index, one] of salts.entries()) {
      for (const other of salts.slice(index + 1)) {
        const counts = Array.from({ length: 100 }, () => 0);
        for (const player of players) {
          counts[Math.floor(pointOf(one, player) / 10) * 10 + Math.floor(pointOf(other, player) / 10)]! += 1;
        }
        expect(chiSquare(counts, 1000), `${one} and ${other}`).to.be.below(149);
      }
    }
  });

  it('only adds players when it is raised', () => {
    const taken = (percent: number) => {
      const tuning = strengths({ id: 'adj_1', value: 2, percent });
      return new Set(
        players.slice(0, 5000).filter((player) => {
          const picked = tuning.pick('thermal-strength', { player, attributes: {} }, noon);
          return picked?.adjustment === 'adj_1';
        }),
      );
    };
    const [few, more] = [taken(20), taken(45)];
    expect([...few].filter((player) => !more.has(player))).to.deep.equal([]);
    expect(more.size).to.be.above(few.size * 2);
  });

  it('takes nobody in particular never', () => {
    const tuning = strengths({ id: 'adj_1', value: 2, percent: 100 });
    expect(tuning.pick('thermal-strength', nobody, noon)?.value).to.equal(1);
  });

  it('splits a trial by its shares, and gives a player the same value always', () => {
    const values = [
      { value: 1, share: 50 },
      { value: 2, share: 30 },
      { value: 3, share: 20 },
    ];
    const tuning = strengths({ id: 'lift-trial', values, measure: { key: 'score/gorge-run' } });
    const counts = [0, 0, 0];
    for (const player of players) {
      const { trialValue = -1 } = tuning.pick('thermal-strength', { player, attributes: {} }, noon) ?? {};
      counts[trialValue]! += 1;
    }
    const expected = [50_000, 30_000, 20_000];
    const statistic = counts.reduce((sum, count, index) => sum + (count - expected[index]!) ** 2 / expected[index]!, 0);
    // With two degrees of freedom one in a thousand is above 13.8.
    expect(statistic).to.be.below(13.9);
    expect(tuning.trials({ player: 'p-1', attributes: {} }, noon)).to.have.length(1);
  });
});

describe('a mistake in what a tunable is to be', () => {
  function mistakes(tunable: string, adjustments: readonly Adjustment[], value?: Json): readonly string[] {
    const tuned = { ...(value !== undefined && { value }), adjustments };
    return checkTuned(tunable, tuned, { adjustments: [] }, rules, noon).map(
      ({ pointer, detail }) => `${pointer}: ${detail}`,
    );
  }

  const cases: readonly [string, readonly Adjustment[], RegExp, Json?][] = [
    ['a value that does not fit', [], /^\/value: The value must be <= 5/, 7],
    ['another type', [{ id: 'a', value: '2' }], /^\/adjustments\/0\/value: The value must be number/],
    [
      'a window that ends before it starts',
      [{ id: 'a', value: 2, window: { from: '2026-12-02T00:00:00Z', until: '2026-12-01T00:00:00Z' } }],
      /^\/adjustments\/0\/window\/until: The window ends at 2026-12-01.* not after it starts/,
    ],
    [
      'a window in the past',
      [{ id: 'a', value: 2, window: { until: '2026-11-01T00:00:00Z' } }],
      /until: The window lies in the past/,
    ],
    ['a percentage of 0', [{ id: 'a', value: 2, percent: 0 }], /percent: A percentage lies above 0/],
    ['a percentage of 101', [{ id: 'a', value: 2, percent: 101 }], /percent: A percentage lies above 0/],
    [
      'an attribute that is not declared',
      [{ id: 'a', value: 2, audience: { all: [{ attribute: 'chaptr', is: 1 }] } }],
      /audience\/all\/0\/attribute: "chaptr" is no declared attribute: did you mean "chapter"\?/,
    ],
    [
      'an order among texts',
      [{ id: 'a', value: 2, audience: { attribute: 'country', above: 'PT' } }],
      /audience\/above: "above" can't apply to country/,
    ],
    [
      'another type than the attribute has',
      [{ id: 'a', value: 2, audience: { attribute: 'chapter', isOneOf: [1, '2'] } }],
      /audience\/isOneOf\/1: chapter is a number, and "2" is a string/,
    ],
    [
      'an adjustment that can never win',
      [
        { id: 'a', note: 'Everybody', value: 2 },
        { id: 'b', note: 'Portugal', value: 3, audience: { attribute: 'country', is: 'PT' } },
      ],
      /^\/adjustments\/1: "Portugal" can never win: "Everybody" stands before it/,
    ],
    [
      'shares that are not all',
      [{ id: 'a', values: [1, 2].map((value) => ({ value, share: 40 })), measure: { key: 'currency/feather' } }],
      /values: The shares add up to 80/,
    ],
    [
      'a measure that is no number',
      [{ id: 'a', values: [1, 2].map((value) => ({ value, share: 50 })), measure: { key: 'progress/flight' } }],
      /measure: There is no number at "" of progress\/flight/,
    ],
  ];
  for (const [what, adjustments, expected, value] of cases) {
    it(`is said: ${what}`, () => {
      expect(mistakes('thermal-strength', adjustments, value))
        .to.have.length(1)
        .and.satisfy(
          ([only]: string[]) => expected.test(only ?? ''),
          mistakes('thermal-strength', adjustments, value)[0] ?? 'nothing',
        );
    });
  }

  it('is said of a tunable that is not declared', () => {
    expect(mistakes('thermal-strenght', [])).to.deep.equal([
      ': "thermal-strenght" is no declared tunable: did you mean "thermal-strength"?',
    ]);
  });

  it('is none where a window of before is over meanwhile', () => {
    const over = { id: 'a', value: 2, window: { until: '2026-11-01T00:00:00Z' } };
    expect(checkTuned('thermal-strength', { adjustments: [over] }, { adjustments: [over] }, rules, noon)).to.deep.equal(
      [],
    );
  });

  it('is none where the later one takes others, or counts at other times', () => {
    const window = { from: '2026-11-28T00:00:00Z', until: '2026-11-29T00:00:00Z' };
    expect(
      mistakes('thermal-strength', [
        { id: 'a', value: 2, window },
        { id: 'b', value: 3 },
      ]),
    ).to.deep.equal([]);
    expect(
      mistakes('thermal-strength', [
        { id: 'a', value: 2, percent: 50 },
        { id: 'b', value: 3 },
      ]),
    ).to.deep.equal([]);
  });
});

describe('a publication in words', () => {
  it('says whom it is for, and when', () => {
    const after: EditionContent = {
      'thermal-strength': {
        adjustments: [
          {
            id: 'evening',
            value: 1.25,
            percent: 25,
            audience: { attribute: 'country', is: 'PT' },
            window: { from: '2026-11-27T18:00:00Z', until: '2026-11-30T00:00:00Z' },
          },
        ],
      },
      'storm-warning': { value: true, adjustments: [] },
    };
    expect(tuningDifferences({}, after, gliders).map(({ words }) => words)).to.deep.equal([
      'thermal-strength: 1 → 1.25 for 25 % of players in Portugal, Fri 27 Nov 18:00 to Sun 29 Nov 24:00 UTC',
      'storm-warning: false → true',
    ]);
    expect(tuningDifferences(after, {}, gliders).map(({ words }) => words)).to.deep.equal([
      'thermal-strength: no longer 1.25 for 25 % of players in Portugal, Fri 27 Nov 18:00 to Sun 29 Nov 24:00 UTC',
      'storm-warning: true → false',
    ]);
  });

  it('says an audience as people would', () => {
    const all = [
      { attribute: 'country', isOneOf: ['PT', 'IE'] },
      { attribute: 'chapter', atLeast: 5, below: 9 },
    ];
    expect(audienceInWords({ all })).to.equal('in Portugal or Ireland, with chapter at least 5, with chapter below 9');
  });
});

describe('a draft', () => {
  const edit = { by: 'ines@highfell.example', at: '2026-11-27T12:00:00Z' };
  const two = { value: 2, adjustments: [] };

  it('holds what is another than published, and nothing else', () => {
    const edits = withEdit({}, {}, 'thermal-strength', { tuned: two, ...edit });
    expect(asPublished(edits, {})).to.deep.equal({ 'thermal-strength': two });
    const back = withEdit(edits, {}, 'thermal-strength', { tuned: { adjustments: [] }, ...edit });
    expect(back).to.deep.equal({});
  });

  it('publishes only what is named', () => {
    const first = withEdit({}, {}, 'thermal-strength', { tuned: two, ...edit });
    const edits = withEdit(first, {}, 'storm-warning', { tuned: { value: true, adjustments: [] }, ...edit });
    expect(asPublished(edits, {}, ['storm-warning'])).to.deep.equal({
      'storm-warning': { value: true, adjustments: [] },
    });
  });

  it('is outdated where others have published something else of the same tunable', () => {
    const edits = withEdit({}, {}, 'thermal-strength', { tuned: two, ...edit });
    expect(outdatedIn(edits, { 'storm-warning': { value: true, adjustments: [] } })).to.deep.equal([]);
    expect(outdatedIn(edits, { 'thermal-strength': { value: 3, adjustments: [] } })).to.deep.equal([
      'thermal-strength',
    ]);
  });
});

describe('the results of a trial', () => {
  /** Numbers around a middle that repeat every eleven. */
  const around = (middle: number, count: number) =>
    Array.from({ length: count }, (_, index) => middle + (index % 11) - 5);

  it('tell a difference where there is one', () => {
    const { results, verdict, bins } = trialResults([
      { players: 250, results: around(70, 220) },
      { players: 260, results: around(64, 220) },
    ]);
    expect(verdict).to.equal('clear-difference');
    expect(results[1]?.difference?.mean).to.equal(-6);
    const [low = 0, high = 0] = results[0]?.interval ?? [];
    // s of 220 numbers from -5 to 5, over the root of 220, times 1.96.
    expect(high - 70).to.be.closeTo((1.96 * Math.sqrt((10 * 220) / 219)) / Math.sqrt(220), 0.001);
    expect(70 - low).to.be.closeTo(high - 70, 1e-9);
    expect(bins).to.have.length((results[0]?.counts.length ?? 0) + 1);
    expect(results.map(({ counts }) => counts.reduce((sum, one) => sum + one))).to.deep.equal([220, 220]);
  });

  it('say that there is not enough to tell, or no clear difference', () => {
    const few = trialResults([
      { players: 20, results: around(70, 20) },
      { players: 300, results: around(60, 300) },
    ]);
    expect([few.verdict, few.results[1]?.difference]).to.deep.equal(['too-few', null]);
    const same = trialResults([
      { players: 200, results: around(70, 200) },
      { players: 200, results: around(70, 199) },
    ]);
    expect(same.verdict).to.equal('no-clear-difference');
    const none = trialResults([
      { players: 0, results: [] },
      { players: 0, results: [] },
    ]);
    expect([none.verdict, none.results[0]?.mean]).to.deep.equal(['too-few', null]);
  });
});
