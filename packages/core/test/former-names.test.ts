import { expect } from 'chai';
import {
  applyTransaction,
  compareManifests,
  currentKey,
  readKeys,
  readRecords,
  olderVersion,
  spokenRecords,
  underCurrentKeys,
  withNamesOverTime,
  type Change,
  type Json,
  type Manifest,
  type Records,
  type Rules,
} from '@vekkon/core';
import { noon, rulesOf } from './highfell.js';

const head = 'manifest: 1\ngame: highfell-gliders\n';
const first = rulesOf(`${head}
progress:
  craft:
    family: { atMost: 6 }
    schema:
      type: object
      additionalProperties: false
      properties:
        spn: { type: number, default: 11 }
        log: { type: array, items: { type: object, properties: { where: { type: string } } }, default: [] }
items:
  patch: { stack: 20 }
  flare: { stack: 5 }
inventories:
  pack: { capacity: 24 }
currencies: { plume: 40 }
tunables: { lift: 1 }
`);
const second = rulesOf(`${head}
progress:
  glider:
    formerly: [craft]
    family: { atMost: 6 }
    schema:
      type: object
      additionalProperties: false
      properties:
        span: { type: number, default: 11, formerly: [spn] }
        cloth: { type: string, default: paper }
        log:
          type: array
          default: []
          items: { type: object, properties: { camp: { type: string, formerly: [where] } } }
items:
  silk-patch: { stack: 20, formerly: [patch] }
  lantern: { stack: 2 }
inventories:
  pack: { capacity: 24 }
currencies: { feather: { starting: 40, formerly: [plume] } }
tunables: { thermal-strength: { schema: { type: number, default: 2 }, formerly: [lift] } }
`);

/** What was stored while the first version was installed. */
const stored: Records = new Map([
  ['progress/craft/heron', { revision: 3, value: { spn: 12, log: [{ where: 'salt-camp' }] } }],
  ['inventory/pack', { revision: 2, value: { stacks: { patch: 4, flare: 1 }, pieces: {} } }],
  ['currency/plume', { revision: 5, value: 90 }],
]);
const current = underCurrentKeys(stored, second.manifest);

function apply(change: Change, rules: Rules = second, spoken?: Manifest) {
  const outcome = applyTransaction(current, { changes: [change] }, rules, noon, {
    spoken: spoken && olderVersion(spoken),
  });
  if (!outcome.applied) throw new Error(outcome.problem.detail);
  return outcome;
}

describe('former names', () => {
  it('find what was stored under them', () => {
    const read = readRecords(current, second);
    expect(read.get('progress/glider/heron')).to.deep.equal({
      revision: 3,
      value: { span: 12, log: [{ camp: 'salt-camp' }], cloth: 'paper' },
    });
    expect(read.get('currency/feather')?.value).to.equal(90);
  });

  it('mean the same in what is sent: keys, fields, pointers, items', () => {
    const merged = apply({ op: 'merge', key: 'progress/craft/heron', value: { spn: 14 } });
    expect(merged.changed.get('progress/glider/heron')?.value).to.have.property('span', 14);
    const raised = apply({ op: 'increase', key: 'progress/craft/heron', path: '/spn', by: 1 });
    expect(raised.changed.get('progress/glider/heron')?.value).to.have.property('span', 13);
    expect([...raised.touched]).to.deep.equal(['progress/glider/heron']);
  });

  it('keep the inventory apart that holds what is no longer declared', () => {
    expect(readRecords(current, second).get('inventory/pack')).to.deep.equal({
      revision: 2,
      value: { stacks: {}, pieces: {} },
      misfit: true,
    });
    const withoutFlare: Records = new Map([
      ['inventory/pack', { revision: 2, value: { stacks: { patch: 4 }, pieces: {} } }],
    ]);
    expect(readRecords(withoutFlare, second).get('inventory/pack')?.value).to.deep.equal({
      stacks: { 'silk-patch': 4 },
      pieces: {},
    });
  });

  it('are those in which an older version is answered, with what it declares', () => {
    const read = readKeys(['progress/glider/heron', 'currency/feather'], current, second);
    const said = spokenRecords(read, second.manifest, first.manifest, first.check);
    expect(Object.fromEntries(said)).to.deep.equal({
      'progress/craft/heron': { revision: 3, value: { spn: 12, log: [{ where: 'salt-camp' }] } },
      'currency/plume': { revision: 5, value: 90 },
    });
  });

  it('let an older version put only what it declares', () => {
    const silk = new Map([
      ...current,
      ['progress/glider/heron', { revision: 4, value: { span: 12, cloth: 'silk', log: [] } }],
    ]);
    const put: Change = { op: 'put', key: 'progress/craft/heron', value: { spn: 9, log: [] } };
    const outcome = applyTransaction(silk as Records, { changes: [put] }, second, noon, {
      spoken: olderVersion(first.manifest),
    });
    if (!outcome.applied) return expect.fail(outcome.problem.detail);
    expect(outcome.changed.get('progress/glider/heron')?.value).to.deep.equal({ span: 9, log: [], cloth: 'silk' });
    return undefined;
  });

  it('send an older version its starting value for what it could not read, and take no blind put for it', () => {
    const strict = rulesOf(
      `${head}progress: { flight: { schema: { type: object, properties: { chapter: { type: integer, maximum: 5, default: 1 } } } } }\n`,
    );
    const wide = rulesOf(
      `${head}progress: { flight: { schema: { type: object, properties: { chapter: { type: integer, maximum: 40, default: 1 } } } } }\n`,
    );
    const far: Records = new Map([['progress/flight', { revision: 8, value: { chapter: 30 } }]]);
    expect(spokenRecords(far, wide.manifest, strict.manifest, strict.check).get('progress/flight')).to.deep.equal({
      revision: 8,
      value: { chapter: 1 },
      misfit: true,
    });
    const put: Change = { op: 'put', key: 'progress/flight', value: { chapter: 2 } };
    const blind = applyTransaction(far, { changes: [put] }, wide, noon, {
      spoken: olderVersion(strict.manifest),
    });
    expect(blind).to.have.nested.property('problem.code', 'record-misfit');
  });
});

describe('names over versions', () => {
  const third = (progress: string) => rulesOf(`${head}progress:\n${progress}`).manifest;
  const two = third(
    '  glider: { formerly: [craft], schema: { type: object, properties: { span: { default: 1, formerly: [spn] } } } }\n',
  );

  it('accumulate, of records and of fields', () => {
    const next = third(
      '  kite: { formerly: [glider], schema: { type: object, properties: { width: { default: 1, formerly: [span] } } } }\n',
    );
    const { manifest, conflicts } = withNamesOverTime(next, two);
    expect(conflicts).to.deep.equal([]);
    expect(manifest.records['progress/kite']?.formerly).to.deep.equal(['glider', 'craft']);
    expect(manifest.records['progress/kite'])
      .to.have.nested.property('schema.properties.width.formerly')
      .that.deep.equals(['span', 'spn']);
    expect(currentKey('progress/craft', manifest)).to.equal('progress/kite');
  });

  it('stay though the file no longer says them', () => {
    const { manifest } = withNamesOverTime(
      third('  glider: { schema: { type: object, properties: { span: { default: 1 } } } }\n'),
      two,
    );
    expect(manifest.records['progress/glider']?.formerly).to.deep.equal(['craft']);
  });

  it('are never used again for something else', () => {
    const { conflicts } = withNamesOverTime(third('  glider: 0\n  craft: 0\n'), two);
    expect(conflicts[0]).to.contain('progress/craft was a former name of progress/glider');
  });

  it('do not make one of two', () => {
    const { conflicts } = withNamesOverTime(
      third('  glider: { formerly: [kite], schema: { default: 0 } }\n'),
      third('  glider: 0\n  kite: 0\n'),
    );
    expect(conflicts[0]).to.contain('were two before');
  });
});

describe('the differences of two versions', () => {
  const changes = compareManifests(first.manifest, second.manifest).map(
    (one) => `${one.what} ${one.is}: ${one.detail}${one.breaks ? ' !' : ''}`,
  );
  const expected: readonly string[] = [
    'progress/craft renamed: now progress/glider',
    'progress/glider changed: /spn is now /span',
    'progress/glider changed: /cloth is new',
    'currency/plume renamed: now currency/feather',
    'item patch renamed: now item silk-patch',
    'item flare removed: no longer declared !',
    'item lantern new: newly declared',
    'tunable lift renamed: now tunable thermal-strength',
  ];
  for (const line of expected) it(`say "${line}"`, () => expect(changes).to.include(line));

  const bounds: readonly [before: Json, after: Json, breaks: boolean][] = [
    [{ type: 'integer', maximum: 40, default: 1 }, { type: 'integer', maximum: 12, default: 1 }, true],
    [{ type: 'integer', maximum: 12, default: 1 }, { type: 'integer', maximum: 40, default: 1 }, false],
    [{ type: 'integer', default: 1 }, { type: 'string', default: '' }, true],
    [{ enum: ['a'], default: 'a' }, { enum: ['a', 'b'], default: 'a' }, false],
    [{ enum: ['a', 'b'], default: 'a' }, { enum: ['a'], default: 'a' }, true],
  ];
  for (const [before, after, breaks] of bounds) {
    it(`${breaks ? 'warn of' : 'pass'} ${JSON.stringify(before)} → ${JSON.stringify(after)}`, () => {
      const rules = (schema: Json) =>
        rulesOf(JSON.stringify({ manifest: 1, game: 'highfell-gliders', progress: { flight: { schema } } })).manifest;
      expect(compareManifests(rules(before), rules(after)).some((one) => one.breaks)).to.equal(breaks);
    });
  }
});
