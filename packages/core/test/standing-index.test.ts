import { expect } from 'chai';
import fc from 'fast-check';
import { StandingIndex, type Placed } from '../src/boards/standing-index.js';

type Better = 'higher' | 'lower';

/** How many random steps are made in all. */
const steps = Number(process.env['VEKKON_BOARD_STEPS'] ?? 2_000_000);

/** A plain sorted list, which does by walking what the index does by counting. */
class PlainList {
  readonly #better: Better;
  #sorted: Placed[] = [];

  constructor(better: Better) {
    this.#better = better;
  }

  get all(): readonly Placed[] {
    return this.#sorted;
  }

  set(placed: Placed): void {
    this.remove(placed.player);
    const at = this.#sorted.findIndex((one) => this.isBefore(placed, one));
    this.#sorted.splice(at < 0 ? this.#sorted.length : at, 0, placed);
  }

  remove(player: number): void {
    this.#sorted = this.#sorted.filter((one) => one.player !== player);
  }

  isBefore(one: Placed, other: Placed): boolean {
    if (one.value !== other.value) return this.#better === 'higher' ? one.value > other.value : one.value < other.value;
    return one.reached === other.reached ? one.player < other.player : one.reached < other.reached;
  }
}

/** Random numbers that are the same for the same seed: mulberry32. */
function randomFrom(seed: number): (below: number) => number {
  let state = seed;
  return (below) => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) % below;
  };
}

describe('the index of standings', () => {
  it('stands in the same order as a plain sorted list, after every step', () => {
    const player = fc.integer({ min: 1, max: 40 });
    const value = fc.integer({ min: -5, max: 5 });
    const reached = fc.integer({ min: 0, max: 3 });
    const step = fc.oneof(fc.tuple(player, value, reached), fc.tuple(player));
    fc.assert(
      fc.property(fc.constantFrom<Better>('higher', 'lower'), fc.array(step, { maxLength: 120 }), (better, made) => {
        const index = new StandingIndex(better);
        const plain = new PlainList(better);
        for (const one of made) {
          if (one.length === 1) {
            expect(index.remove(one[0])).to.equal(plain.all.some((placed) => placed.player === one[0]));
            plain.remove(one[0]);
          } else {
            index.set(...one);
            plain.set({ player: one[0], value: one[1], reached: one[2] });
          }
          expect([...index]).to.deep.equal(plain.all);
        }
        for (const [at, placed] of plain.all.entries()) {
          expect([index.rankOf(placed.player), index.of(placed.player)]).to.deep.equal([at + 1, placed]);
          const asked = { ...placed, value: placed.value + 1 };
          const ahead = plain.all.filter((one) => one.player !== asked.player && plain.isBefore(one, asked));
          expect(index.rankIf(asked)).to.equal(ahead.length + 1);
        }
      }),
      { numRuns: 300 },
    );
  });

  it(`stands in order after ${steps.toLocaleString('en')} random steps, and finds each by rank and by player`, () => {
    for (const better of ['higher', 'lower'] as const) {
      const random = randomFrom(better === 'higher' ? 1 : 2);
      const index = new StandingIndex(better);
      const held = new Map<number, Placed>();
      const plain = new PlainList(better);
      const look = () => {
        const sorted = [...held.values()].toSorted((one, other) => (plain.isBefore(one, other) ? -1 : 1));
        expect(index.size).to.equal(sorted.length);
        for (const [at, one] of [...index].entries()) if (one.player !== sorted[at]?.player) expect.fail(`rank ${at}`);
        for (let times = 0; times < 200; times++) {
          const at = random(sorted.length);
          expect(index.rankOf(sorted[at]?.player ?? 0)).to.equal(at + 1);
          expect(index.stretch(at + 1, 3)).to.deep.equal(sorted.slice(at, at + 3));
        }
      };
      // Grows, then shrinks nearly to nothing, and grows again.
      const total = steps / 2;
      for (let step = 0; step < total; step++) {
        const isShrinking = step > total * 0.5 && step < total * 0.7;
        const player = 1 + random(100_000);
        if (random(10) < (isShrinking ? 9 : 2)) {
          if (index.remove(player) !== held.delete(player)) expect.fail(`taking off ${player}`);
        } else {
          const placed = { player, value: random(5_000), reached: random(1_000) };
          index.set(player, placed.value, placed.reached);
          held.set(player, placed);
        }
        if (step % (total / 10) === 0 && held.size > 0) look();
      }
      look();
      for (const player of held.keys()) index.remove(player);
      expect([index.size, [...index], index.stretch(1, 5)]).to.deep.equal([0, [], []]);
      index.set(7, 1, 1);
      expect([index.rankOf(7), index.rankOf(8), index.of(8)]).to.deep.equal([1, undefined, undefined]);
    }
  });

  it('answers nothing beyond its end, and takes at most 64 bytes for each of many', () => {
    const index = new StandingIndex('lower');
    const random = randomFrom(3);
    for (let player = 1; player <= 100_000; player++) index.set(player, random(1_000_000_000), player);
    expect(index.stretch(100_000, 5)).to.have.lengthOf(1);
    expect(index.stretch(100_001, 5)).to.deep.equal([]);
    expect(index.stretch(0, 1)).to.deep.equal(index.stretch(1, 1));
    expect(index.bytes / index.size).to.be.below(64);
  });
});
