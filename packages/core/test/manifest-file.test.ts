import { expect } from 'chai';
import { fillIn, readRecords, startingRecords } from '@vekkon/core';
import { readManifestFile } from '@vekkon/core/manifest-file';
import { highfell, rulesOf } from './highfell.js';

function mistakesIn(source: string) {
  const read = readManifestFile(source);
  return 'mistakes' in read ? read.mistakes : [];
}

const head = 'manifest: 1\ngame: highfell-gliders\n';

describe('a manifest file', () => {
  it('needs one line for one number', () => {
    const { manifest } = rulesOf(`${head}progress:\n  climbs: 0\n`);
    expect(manifest.records['progress/climbs']).to.deep.equal({
      kind: 'progress',
      lasts: 'always',
      player: 'none',
      others: 'none',
      schema: { type: 'number', default: 0 },
      starting: 0,
    });
  });

  it('may be JSON', () => {
    const { manifest } = rulesOf('{"manifest":1,"game":"highfell-gliders","currencies":{"opal":2}}');
    expect(manifest.records['currency/opal']).to.include({ starting: 2, floor: 0, ceiling: Number.MAX_SAFE_INTEGER });
  });

  it('builds starting values from the defaults of fields', () => {
    expect(highfell.manifest.records['progress/flight']).to.have.deep.property('starting', {
      chapter: 1,
      charted: [],
      metres: 0,
    });
  });

  it('lets players write their preferences, and nothing else, unless declared otherwise', () => {
    const { records } = highfell.manifest;
    const open = Object.keys(records).filter((key) => records[key]?.player === 'write');
    expect(open.filter((key) => !key.startsWith('preference/'))).to.deep.equal([
      'progress/landings',
      'progress/drift',
      'score/valley',
    ]);
    expect(open.filter((key) => key.startsWith('preference/'))).to.have.length(3);
  });

  it('takes a starting value in place of a schema, and one of the two', () => {
    const start = (declaration: string) =>
      readManifestFile(`manifest: 1\ngame: highfell-gliders\nprogress:\n  landings: ${declaration}\n`);
    const read = start('{ player: write, starting: 7 }');
    expect('manifest' in read && read.manifest.records['progress/landings']).to.deep.include({
      schema: { type: 'number', default: 7 },
      starting: 7,
      player: 'write',
    });
    for (const [declaration, what] of [
      ['{ player: write }', 'says neither'],
      ['{ starting: 7, schema: { type: number, default: 7 } }', 'says both'],
    ] as const) {
      const refused = start(declaration);
      expect('mistakes' in refused && refused.mistakes[0]).to.deep.include({ line: 4 });
      expect('mistakes' in refused && refused.mistakes[0]?.detail).to.contain(what);
    }
  });

  const wrong: readonly { why: string; source: string; line: number; column: number; detail: string }[] = [
    {
      why: 'a word that is not known',
      source: `${head}progres:\n  climbs: 0\n`,
      line: 3,
      column: 1,
      detail: 'did you mean "progress"?',
    },
    {
      why: 'a word that is not known inside a declaration',
      source: `${head}currencies:\n  feather: { starting: 40, cieling: 9 }\n`,
      line: 4,
      column: 28,
      detail: 'did you mean "ceiling"?',
    },
    {
      why: 'a name in capitals',
      source: `${head}progress:\n  Climbs: 0\n`,
      line: 4,
      column: 3,
      detail: 'small letters',
    },
    {
      why: 'a starting value that does not fit',
      source: `${head}progress:\n  climbs:\n    schema: { type: integer, default: soon }\n`,
      line: 5,
      column: 5,
      detail: 'does not fit its own schema',
    },
    {
      why: 'a schema without a starting value',
      source: `${head}preferences:\n  size: { schema: { type: integer } }\n`,
      line: 4,
      column: 11,
      detail: 'no starting value',
    },
    {
      why: 'a schema that can not be used',
      source: `${head}progress:\n  climbs: { schema: { type: whole } }\n`,
      line: 4,
      column: 23,
      detail: '"type" must be one of array, boolean',
    },
    {
      why: 'a starting balance below the floor',
      source: `${head}currencies:\n  opal: { starting: 1, floor: 2 }\n`,
      line: 4,
      column: 3,
      detail: 'not between its floor 2',
    },
    {
      why: 'a board without an order',
      source: `${head}boards:\n  gorge-run: { counts: best }\n`,
      line: 4,
      column: 3,
      detail: 'needs "better"',
    },
    { why: 'text that is not YAML', source: `${head}progress: [\n`, line: 4, column: 1, detail: '' },
    {
      why: 'the same name twice',
      source: `${head}progress:\n  climbs: 0\n  climbs: 1\n`,
      line: 5,
      column: 3,
      detail: 'stands here twice',
    },
  ];
  it('says what is wrong in each declaration, whatever is wrong in others', () => {
    const body = [
      'progress:',
      '  flight: { schema: { type: number, minimum: 5, maximum: 2, default: 5 } }',
      '  Logbook: 1',
      '  climbs: { schema: { type: strin, default: 0 } }',
      '  drift: { schema: { type: number, minimun: 1, default: 1 } }',
      'items:',
      '  wing: {}',
      'inventories:',
      '  pack: { accepts: [wing, flare], capacity: 0.5 }',
      '  hangar: { accepts: [wing, flare] }',
      'currencies:',
      '  opal: { starting: 1, floor: 2 }',
      'titel: x',
    ].join('\n');
    expect(mistakesIn(head + body).map(({ line, detail }) => `${line} ${detail}`)).to.deep.equal([
      '4 minimum (5) and maximum (2) leave nothing between them.',
      '5 "Logbook" can\'t be a declared name: use small letters, digits and "-", starting with a letter, at most 63.',
      '6 "type" must be one of array, boolean, integer, null, number, object, string, as JSON Schema has it.',
      '7 "minimun" is no keyword of JSON Schema: did you mean "minimum"?',
      '9 "items/wing" needs "stack".',
      '11 "inventories/pack/capacity" must be a whole number.',
      '11 "inventories/pack/capacity" must be at least 1.',
      '12 "flare" is no declared item: declared are none',
      '14 "opal" starts at 1, which is not between its floor 2 and its ceiling 9007199254740991.',
      '15 "titel" is not known here: did you mean "title"?',
    ]);
  });

  it('says what is wrong with the schema of a declaration that is wrong besides', () => {
    const body = [
      'progress:',
      '  flight: { lasts: rn, schema: { type: objec, default: {} } }',
      '  logbook: { lasts: rn, schema: { minimum: 5, maximum: 2, default: 5 } }',
      'items:',
      '  wing: { unique: yes, traits: { type: strin } }',
      'currencies:',
      '  opal: { floor: 9, ceiling: 3 }',
    ].join('\n');
    expect(mistakesIn(head + body).map(({ line, detail }) => `${line} ${detail.slice(0, 48)}`)).to.deep.equal([
      '4 "progress/flight/lasts" must be one of always, r',
      '4 "type" must be one of array, boolean, integer, n',
      '5 "progress/logbook/lasts" must be one of always, ',
      '5 minimum (5) and maximum (2) leave nothing betwee',
      '7 "items/wing/unique" must be true.',
      '7 "type" must be one of array, boolean, integer, n',
      '9 The floor of "opal" (9) is above its ceiling (3)',
    ]);
  });

  it('tells at most a hundred, and how many there are more', () => {
    const names = Array.from({ length: 900 }, (_, index) => `  N${index}: 0\n`).join('');
    const mistakes = mistakesIn(`${head}progress:\n${names}`);
    expect(mistakes).to.have.length(101);
    expect(mistakes.at(-1)?.detail).to.equal('There are 800 mistakes more: mend these first.');
  });

  const hostile: readonly [string, string, string][] = [
    ['brackets a million deep', '['.repeat(1_000_000), 'nests deeper than 200 levels'],
    ['lists a million deep on one line', '- '.repeat(500_000), 'nests deeper than 200 levels'],
    ['an alias of nothing', '*a', 'refers to an anchor that is not set'],
    ['a reference that is not percent-encoded', `${head}progress:\n  f: { schema: { $ref: '#/%zz' } }`, 'RFC 3986'],
    [
      'ten thousand names',
      `${head}progress:\n${Array.from({ length: 10_000 }, (_, index) => `  n${index}: 0\n`).join('')}`,
      'at most 1000 members',
    ],
    [
      'a hundred and one patterns',
      `${head}progress:\n${Array.from({ length: 101 }, (_, index) => `  n${index}: { schema: { type: string, pattern: '^[a-z]{0,${index + 1}}$', default: '' } }\n`).join('')}`,
      'at the most: this is one more',
    ],
  ];
  for (const [why, source, detail] of hostile) {
    it(`is refused for ${why} before anything takes long`, () => {
      expect(mistakesIn(source).some((one) => one.detail.includes(detail))).to.equal(true);
    });
  }

  for (const { why, source, line, column, detail } of wrong) {
    it(`says where ${why} stands and what to write`, () => {
      const [mistake] = mistakesIn(source);
      expect(mistake?.detail).to.contain(detail);
      expect({ line: mistake?.line, column: mistake?.column }).to.deep.equal({ line, column });
    });
  }

  it('says every mistake at once', () => {
    expect(mistakesIn(`${head}progres: {}\nboards:\n  a: { better: up, counts: best }\n`)).to.have.length(2);
  });
});

describe('starting values', () => {
  it('are a first ledger line for each currency', () => {
    expect(startingRecords(highfell.manifest).ledger).to.deep.include({
      key: 'currency/feather',
      op: 'starting',
      amount: 40,
      balance: 40,
      reason: 'starting value',
      count: 1,
    });
  });

  it('fill in fields that a stored value lacks, at every depth', () => {
    const schema = {
      type: 'object',
      properties: { wind: { type: 'object', properties: { knots: { default: 5 } } }, note: { type: 'string' } },
    };
    expect(fillIn({ wind: {} }, schema)).to.deep.equal({ wind: { knots: 5 } });
    expect(fillIn({}, schema)).to.deep.equal({ wind: { knots: 5 } });
  });

  it('stand in for what is declared and not stored, at revision 0', () => {
    const read = readRecords(new Map([['progress/forgotten', { revision: 4, value: 1 }]]), highfell);
    expect(read.get('progress/climbs')).to.deep.equal({ revision: 0, value: 0 });
    expect(read.get('score/gorge-run')?.value).to.include({ best: null, count: 0 });
    expect(read.has('progress/forgotten')).to.equal(false);
  });
});
