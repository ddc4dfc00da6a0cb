import { expect } from 'chai';
import {
  applyTransaction,
  checkValue,
  learnFrom,
  type Change,
  type Json,
  type Records,
  type ScoreValue,
} from '@vekkon/core';
import { fileWithLearned } from '@vekkon/core/manifest-edits';
import { readManifestFile } from '@vekkon/core/manifest-file';
import { checkSchema } from '@vekkon/core/schema-check';
import { highfell, newPilot, noon, rulesOf } from './highfell.js';

const head = 'manifest: 1\ngame: highfell-gliders\n';

function firstMistake(body: string): string {
  const read = readManifestFile(head + body);
  if ('manifest' in read) return 'none';
  const [{ line, column, detail } = { line: 0, column: 0, detail: '' }] = read.mistakes;
  return `${line}:${column} ${detail}`;
}

/** A progress record with one schema, on line 4. */
const flight = (schema: Json) => `progress:\n  flight: { schema: ${JSON.stringify(schema)} }\n`;
const listOf = (words: object) => ({ type: 'array', default: [], items: { type: 'string' }, ...words });

describe('a mistake in a manifest', () => {
  const mistakes: readonly [why: string, body: string, ...says: string[]][] = [
    ['two names that differ only by case', 'progress:\n  flight: 0\n  Flight: 0\n', '5:3', 'differ only by case'],
    [
      'two fields that differ only by case',
      flight({ properties: { Chapter: { default: 1 }, chapter: { default: 1 } } }),
      'differ only by case',
    ],
    [
      'a former name that is declared itself',
      'currencies:\n  feather: { formerly: [opal] }\n  opal: 2\n',
      'is declared itself',
    ],
    [
      'a former name of two',
      'currencies:\n  feather: { formerly: [plume] }\n  opal: { formerly: [plume] }\n',
      'can mean only one',
    ],
    [
      'a former name of a field where nothing reads it',
      flight({ anyOf: [{ properties: { a: { formerly: ['b'] } } }], default: {} }),
      'followed under',
    ],
    [
      'an item that an inventory takes and nobody declares',
      'items:\n  flare: { stack: 5 }\ninventories:\n  pack: { accepts: [flair] }\n',
      '6:21',
      'did you mean "flare"?',
    ],
    [
      'starting contents without room',
      'items:\n  flare: { stack: 5 }\ninventories:\n  pack: { capacity: 1, starting: [{ item: flare, count: 6 }] }\n',
      'take 2 places, and there are 1',
    ],
    [
      'a starting piece twice',
      'items:\n  wing: { unique: true }\ninventories:\n  pack: { starting: [{ item: wing, piece: a }] }\n  hangar: { starting: [{ item: wing, piece: a }] }\n',
      'starts in inventory/pack already',
    ],
    [
      'a checkpoint of what is not declared',
      'progress:\n  flight: 0\ncheckpoints: { atMost: 5, records: [progress/flihgt] }\n',
      'did you mean "progress/flight"?',
    ],
    [
      'a checkpoint with a currency and not the inventories',
      'currencies: { feather: 0 }\ninventories: { pack: {} }\ncheckpoints: { atMost: 5, records: [currency/feather] }\n',
      'add inventory/pack',
    ],
    [
      'an attribute from what is not declared',
      'attributes: { chapter: { from: progress/flight } }\n',
      'no declared record',
    ],
    [
      'an attribute that leads nowhere',
      'progress: { flight: 0 }\nattributes: { chapter: { from: progress/flight, path: /chapter } }\n',
      'leads nowhere',
    ],
    [
      'a season that is none',
      'boards:\n  gorge-run: { better: lower, counts: best, season: fortnightly }\n',
      'write none, daily, weekly, monthly',
    ],
    [
      'a doubtful bound that nothing reaches',
      'boards:\n  gorge-run: { better: lower, counts: best, highest: 10, doubtful: { above: 10 } }\n',
      'No result can be doubtful',
    ],
    ['a reference to the network', flight({ $ref: 'https://example.com/a.json', default: 0 }), 'nothing is fetched'],
    [
      'a reference in a circle',
      flight({ $defs: { a: { anyOf: [{ $ref: '#/$defs/a' }] } }, $ref: '#/$defs/a', default: 0 }),
      'leads back to itself',
    ],
    ['a reference to nowhere', flight({ $ref: '#/$defs/a', default: 0 }), 'leads nowhere in this schema'],
    [
      'an identity that leads elsewhere',
      flight({ $id: 'https://example.com/a.json', default: 0 }),
      '"$id" can\'t be used here',
    ],
    ['uniqueItems without maxItems', flight(listOf({ uniqueItems: true })), 'give it a maxItems of at most 1000'],
    ['uniqueItems of more than a thousand', flight(listOf({ uniqueItems: true, maxItems: 1_001 })), 'at most 1000'],
    [
      'a pattern that takes exponential time',
      flight({ type: 'string', pattern: '^(a|a)*$', default: '' }),
      'exponential time',
    ],
    [
      'a pattern that takes the square of a long text',
      flight({ type: 'string', pattern: 'a*b$', default: '' }),
      'maxLength of at most 1000',
    ],
    ['a pattern that is none', flight({ type: 'string', pattern: '(', default: '' }), 'is not a regular expression'],
    ['references that multiply', flight(multiplying(24)), 'Checking one value could take'],
  ];
  for (const [why, body, ...says] of mistakes) {
    it(`is ${why}, and is said with its place`, () => {
      const said = firstMistake(body);
      for (const one of says) expect(said).to.contain(one);
    });
  }

  it('is none of what only just passes', () => {
    const passing: readonly Json[] = [
      listOf({ uniqueItems: true, maxItems: 1_000 }),
      { type: 'string', pattern: 'a*b$', maxLength: 1_000, default: 'b' },
      { type: 'string', pattern: '^[a-z][a-z0-9-]{0,62}$', default: 'a' },
      multiplying(16),
    ];
    for (const schema of passing) expect(firstMistake(flight(schema))).to.equal('none');
  });

  it('leaves the worst value that still passes to be checked all the same', () => {
    const worst = { ...listOf({ uniqueItems: true, maxItems: 1_000 }), items: { type: 'object' } };
    const almostSame = Array.from({ length: 1_000 }, (_, index) => ({ a: { b: { c: index } } }));
    expect(checkSchema(worst as never, almostSame)).to.equal(undefined);
    expect(checkSchema(worst as never, [...almostSame.slice(1), almostSame[1]!])?.detail).to.contain('duplicate');
    const text = { type: 'string', pattern: 'a*b$', maxLength: 1_000 };
    expect(checkSchema(text, 'a'.repeat(1_000))?.detail).to.contain('pattern');
  });
});

/** Each of so many definitions asks for the next one twice. */
function multiplying(levels: number): Json {
  const twice = (name: string) => [{ $ref: `#/$defs/${name}` }, { $ref: `#/$defs/${name}` }];
  const $defs: { [name: string]: Json } = { [`d${levels}`]: { type: 'number' } };
  for (let level = 0; level < levels; level++) $defs[`d${level}`] = { anyOf: twice(`d${level + 1}`) };
  return { $defs, $ref: '#/$defs/d0', default: 0 };
}

describe('a value', () => {
  const wrong: readonly [why: string, value: Json, code: string, pointer: string][] = [
    ['that is not a number', Number.NaN, 'number-out-of-range', ''],
    ['that is infinite', { a: [Infinity] }, 'number-out-of-range', '/a/0'],
    ['beyond exactness', { a: 2 ** 53 }, 'number-out-of-range', '/a'],
    ['with half of a surrogate pair', { a: 'x\ud800' }, 'text-invalid', '/a'],
    ['with NUL', ['a\u0000b'], 'text-invalid', '/0'],
    ['with NUL in a name', { 'a\u0000': 1 }, 'text-invalid', '/a\u0000'],
  ];
  for (const [why, value, code, pointer] of wrong) {
    it(`${why} is refused with its place`, () => expect(checkValue(value)).to.include({ code, pointer }));
  }

  it('with a fraction is refused where an integer is declared', () => {
    const change: Change = { op: 'merge', key: 'progress/flight', value: { chapter: 1.5 } };
    expect(applyTransaction(newPilot(), { changes: [change] }, highfell, noon)).to.have.nested.property(
      'problem.pointer',
      '/chapter',
    );
  });
});

describe('learning', () => {
  const { manifest } = rulesOf(`${head}progress:\n  climbs: 0\nitems:\n  flare: { stack: 5 }\n`);
  const learns = { manifest, check: checkSchema, learns: true };
  const learned: readonly [change: Change, key: string, schema: object][] = [
    [
      { op: 'put', key: 'progress/height', value: 12 },
      'progress/height',
      { schema: { type: 'number', default: 0 }, starting: 0 },
    ],
    [
      { op: 'put', key: 'preference/calm', value: true },
      'preference/calm',
      { kind: 'preference', player: 'write', starting: false },
    ],
    [
      { op: 'credit', key: 'currency/opal', amount: 3, reason: 'x' },
      'currency/opal',
      { kind: 'currency', starting: 0, floor: 0 },
    ],
    [{ op: 'submit', key: 'score/gorge-run', value: 3 }, 'score/gorge-run', { kind: 'score', better: 'higher' }],
    [{ op: 'collect', key: 'progress/ridges', path: '', value: 'salt-col' }, 'progress/ridges', { starting: [] }],
    [
      { op: 'put', key: 'progress/slot/one', value: { a: 'x' } },
      'progress/slot',
      { family: { atMost: 1000 }, starting: {} },
    ],
    [{ op: 'gain', key: 'inventory/pack', item: 'silk-patch', count: 2 }, 'inventory/pack', { kind: 'inventory' }],
  ];
  for (const [change, key, has] of learned) {
    it(`declares ${key} from its first ${change.op}`, () => {
      const outcome = applyTransaction(new Map(), { changes: [change] }, learns, noon);
      if (!outcome.applied) return expect.fail(outcome.problem.detail);
      expect(outcome.learned?.records[key]).to.deep.include({ learned: true, ...has });
      return undefined;
    });
  }

  it('refuses a name that is one or two letters away from a declared one', () => {
    for (const key of ['progress/climb', 'progress/clmibs']) {
      const outcome = applyTransaction(new Map(), { changes: [{ op: 'put', key, value: 1 }] }, learns, noon);
      expect(outcome).to.have.nested.property('problem.nearest', 'progress/climbs');
    }
  });

  it('refuses the next value of another type, and says so', () => {
    const changes: Change[] = [
      { op: 'put', key: 'progress/height', value: 12 },
      { op: 'put', key: 'progress/height', value: 'high' },
    ];
    const outcome = applyTransaction(new Map(), { changes }, learns, noon);
    expect(outcome).to.have.nested.property('problem.code', 'value-invalid');
    expect(outcome).to.have.nested.property('problem.detail').that.contains('must be number');
  });

  it('learns nothing from a place inside what is not there', () => {
    expect(learnFrom({ op: 'increase', key: 'progress/height', path: '/metres', by: 1 }, manifest)).to.equal(undefined);
  });

  it('is pulled into the file as a person would write it, comments and all', () => {
    const height = applyTransaction(
      new Map(),
      { changes: [{ op: 'put', key: 'progress/height', value: 12 }] },
      learns,
      noon,
    );
    const declaration = height.applied ? height.learned!.records['progress/height']! : expect.fail();
    const source = `${head}progress:\n  climbs: 0 # how many\n`;
    const file = fileWithLearned(source, [{ section: 'progress', name: 'height', declaration, at: noon }]);
    expect(file).to.contain('climbs: 0 # how many').and.to.contain('height: 0').and.to.contain(`# learned ${noon}`);
    expect(rulesOf(file).manifest.records['progress/height']).to.include({ starting: 0 });
  });
});

describe('what a manifest asks of its records', () => {
  it('limits what is credited in a while', () => {
    const credit: Change = { op: 'credit', key: 'currency/feather', amount: 3_000, reason: 'x' };
    const tried = (credited: number) =>
      applyTransaction(newPilot(), { changes: [credit] }, highfell, noon, { creditedSince: () => credited });
    expect(tried(2_000)).to.have.property('applied', true);
    expect(tried(2_001)).to.have.nested.property('problem.code', 'credit-limit');
    const twice = applyTransaction(newPilot(), { changes: [credit, credit] }, highfell, noon, {
      creditedSince: () => 0,
    });
    expect(twice).to.have.nested.property('problem.change', 1);
  });

  it('stamps what is collected where the list holds { value, at }', () => {
    const collect: Change = { op: 'collect', key: 'progress/logbook', path: '/camps', value: 'salt-camp' };
    const once = applyTransaction(newPilot(), { changes: [collect] }, highfell, noon);
    if (!once.applied) return expect.fail(once.problem.detail);
    const key = 'progress/logbook';
    expect(once.changed.get(key)?.value).to.have.deep.property('camps', [{ value: 'salt-camp', at: noon }]);
    const again = applyTransaction(
      new Map([...newPilot(), ...once.changed]),
      { changes: [collect] },
      highfell,
      '2027-01-01T00:00:00Z',
    );
    expect(again.applied && again.changed.size).to.equal(0);
    const discard: Change = { ...collect, op: 'discard' };
    const gone = applyTransaction(new Map([...newPilot(), ...once.changed]), { changes: [discard] }, highfell, noon);
    expect(gone.applied && gone.changed.get(key)?.value).to.have.deep.property('camps', []);
    return undefined;
  });

  it('keeps the best entries, each with its name, the earlier first of equal ones', () => {
    let records: Records = new Map();
    for (const [value, name] of [
      [40, 'a'],
      [31.5, 'b'],
      [40, 'c'],
      [90, 'd'],
      [29, 'e'],
      [35, 'f'],
    ] as const) {
      const submit: Change = { op: 'submit', key: 'score/valley/Fox Valley', value, name };
      const outcome = applyTransaction(records, { changes: [submit] }, highfell, noon);
      if (!outcome.applied) return expect.fail(outcome.problem.detail);
      records = new Map([...records, ...outcome.changed]);
    }
    const { entries, best } = records.get('score/valley/Fox Valley')?.value as ScoreValue;
    expect([best, entries?.map(({ name }) => name).join('')]).to.deep.equal([29, 'ebfac']);
    return undefined;
  });

  it('keeps a misfit from all but those who say that they know it', () => {
    const held: Records = new Map([
      ['progress/flight', { revision: 4, value: { chapter: 99, charted: [], metres: 0 } }],
    ]);
    const tried = (change: Change) => {
      const outcome = applyTransaction(held, { changes: [change] }, highfell, noon);
      return outcome.applied ? 'applied' : outcome.problem.code;
    };
    const value = { chapter: 2, charted: [], metres: 0 };
    expect(tried({ op: 'put', key: 'progress/flight', value })).to.equal('record-misfit');
    expect(tried({ op: 'merge', key: 'progress/flight', value: {} })).to.equal('record-misfit');
    expect(tried({ op: 'increase', key: 'progress/flight', path: '/metres', by: 1 })).to.equal('record-misfit');
    expect(tried({ op: 'put', key: 'progress/flight', value, ifRevision: 4 })).to.equal('applied');
    expect(tried({ op: 'reset', key: 'progress/flight' })).to.equal('applied');
  });
});
