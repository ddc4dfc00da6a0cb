import { expect } from 'chai';
import {
  applyTransaction,
  placesTaken,
  type Change,
  type ChangeProblemCode,
  type InventoryValue,
  type Records,
} from '@vekkon/core';
import { highfell, newPilot, noon } from './highfell.js';

const pack = 'inventory/pack';
const hangar = 'inventory/hangar';
const oldWing = { item: 'wing', traits: { maker: 'Orrin & Daughters', lift: 1.2, mended: 0 } };
const carrying: Records = new Map([
  ...newPilot(),
  [pack, { revision: 3, value: { stacks: { 'silk-patch': 20, flare: 2 }, pieces: {} } }],
  [hangar, { revision: 2, value: { stacks: {}, pieces: { 'wing-1': oldWing } } }],
]);

function apply(changes: readonly Change[], records: Records = carrying) {
  return applyTransaction(records, { changes }, highfell, noon);
}

const applies: readonly { does: string; change: Change; leads: InventoryValue }[] = [
  {
    does: 'gain adds to what there is',
    change: { op: 'gain', key: pack, item: 'flare', count: 3 },
    leads: { stacks: { 'silk-patch': 20, flare: 5 }, pieces: {} },
  },
  {
    does: 'gain is of one where no count is said',
    change: { op: 'gain', key: pack, item: 'silk-patch' },
    leads: { stacks: { 'silk-patch': 21, flare: 2 }, pieces: {} },
  },
  {
    does: 'gain makes a piece with the traits that are declared',
    change: { op: 'gain', key: hangar, item: 'wing', piece: 'wing-2', traits: { lift: 1.5 } },
    leads: {
      stacks: {},
      pieces: { 'wing-1': oldWing, 'wing-2': { item: 'wing', traits: { maker: 'unknown', lift: 1.5, mended: 0 } } },
    },
  },
  {
    does: 'lose takes the last of a stack away',
    change: { op: 'lose', key: pack, item: 'flare', count: 2 },
    leads: { stacks: { 'silk-patch': 20 }, pieces: {} },
  },
  {
    does: 'lose takes a piece by its id',
    change: { op: 'lose', key: hangar, item: 'wing', piece: 'wing-1' },
    leads: { stacks: {}, pieces: {} },
  },
  {
    does: 'alter patches the traits of a piece',
    change: { op: 'alter', key: hangar, piece: 'wing-1', traits: { mended: 1 } },
    leads: { stacks: {}, pieces: { 'wing-1': { item: 'wing', traits: { ...oldWing.traits, mended: 1 } } } },
  },
];

const refuses: readonly { why: string; change: Change; code: ChangeProblemCode; detail: string }[] = [
  {
    why: 'an item that is not declared, with the nearest',
    change: { op: 'gain', key: pack, item: 'silk-pach', count: 1 },
    code: 'item-not-declared',
    detail: 'did you mean "silk-patch"?',
  },
  {
    why: 'an item that the inventory does not take',
    change: { op: 'gain', key: hangar, item: 'flare', count: 1 },
    code: 'item-not-accepted',
    detail: 'it takes wing',
  },
  {
    why: 'more than there are places, each stack taking one',
    change: { op: 'gain', key: pack, item: 'flare', count: 114 },
    code: 'inventory-full',
    detail: '24 places, and this would take 25',
  },
  {
    why: 'to lose more than there are',
    change: { op: 'lose', key: pack, item: 'flare', count: 3 },
    code: 'too-few',
    detail: 'holds 2 of "flare"',
  },
  {
    why: 'a piece that is not there, with the nearest',
    change: { op: 'lose', key: hangar, item: 'wing', piece: 'wing-l' },
    code: 'piece-unknown',
    detail: 'did you mean "wing-1"?',
  },
  {
    why: 'to alter a piece that is not there',
    change: { op: 'alter', key: pack, piece: 'wing-1', traits: {} },
    code: 'piece-unknown',
    detail: 'holds no piece',
  },
  {
    why: 'a piece whose id lies in another inventory of the player',
    change: { op: 'gain', key: pack, item: 'wing', piece: 'wing-1' },
    code: 'piece-exists',
    detail: 'in inventory/hangar',
  },
  {
    why: 'a unique item without an id',
    change: { op: 'gain', key: pack, item: 'wing', count: 1 },
    code: 'item-form',
    detail: 'is unique',
  },
  {
    why: 'an id for what comes in stacks',
    change: { op: 'gain', key: pack, item: 'flare', piece: 'flare-1' },
    code: 'item-form',
    detail: 'comes in stacks',
  },
  {
    why: 'traits that do not fit',
    change: { op: 'gain', key: pack, item: 'wing', piece: 'wing-2', traits: { lift: 9 } },
    code: 'value-invalid',
    detail: '/lift',
  },
  {
    why: 'to alter traits out of bounds',
    change: { op: 'alter', key: hangar, piece: 'wing-1', traits: { lift: 9 } },
    code: 'value-invalid',
    detail: '/lift',
  },
  {
    why: 'a trait that is not declared',
    change: { op: 'alter', key: hangar, piece: 'wing-1', traits: { lfit: 1 } },
    code: 'value-invalid',
    detail: '"lfit"',
  },
  {
    why: 'counts that are not exact',
    change: { op: 'gain', key: pack, item: 'flare', count: Number.MAX_SAFE_INTEGER },
    code: 'number-out-of-range',
    detail: 'counted exactly',
  },
  {
    why: 'a change of another kind',
    change: { op: 'put', key: pack, value: {} },
    code: 'op-not-for-kind',
    detail: 'gain, lose, alter',
  },
];

describe('an inventory', () => {
  for (const { does, change, leads } of applies) {
    it(does, () => {
      const outcome = apply([change]);
      if (!outcome.applied) return expect.fail(outcome.problem.detail);
      const key = 'key' in change ? change.key : '';
      expect(outcome.changed.get(key)?.value).to.deep.equal(leads);
      return undefined;
    });
  }

  for (const { why, change, code, detail } of refuses) {
    it(`refuses ${why}`, () => {
      const outcome = apply([change]);
      if (outcome.applied) return expect.fail('it was applied');
      expect(outcome.problem.code).to.equal(code);
      expect(`${outcome.problem.detail} ${outcome.problem.pointer}`).to.contain(detail);
      return undefined;
    });
  }

  it('hands a piece over to another in one transaction', () => {
    const moved = apply([
      { op: 'lose', key: hangar, item: 'wing', piece: 'wing-1' },
      { op: 'gain', key: pack, item: 'wing', piece: 'wing-1', traits: oldWing.traits },
    ]);
    if (!moved.applied) return expect.fail(moved.problem.detail);
    expect((moved.changed.get(pack)?.value as InventoryValue).pieces).to.deep.equal({ 'wing-1': oldWing });
    expect((moved.changed.get(hangar)?.value as InventoryValue).pieces).to.deep.equal({});
    return undefined;
  });

  it('takes the payment and gives the goods, or neither', () => {
    const trade = apply([
      { op: 'debit', key: 'currency/feather', amount: 20, reason: 'bought flare' },
      { op: 'gain', key: pack, item: 'flare', count: 500 },
    ]);
    expect(trade).to.have.nested.property('problem.change', 1);
  });

  it('counts a place for each stack that is begun', () => {
    const value = { stacks: { 'silk-patch': 21, flare: 5 }, pieces: { 'wing-1': oldWing } };
    expect(placesTaken(value, highfell.manifest)).to.equal(4);
  });
});
