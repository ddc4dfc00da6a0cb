import { expect } from 'chai';
import { GameTuning } from '../src/session/game-tuning.js';

const opens = 1_000;
const closes = 2_000;

describe('the tuning of a game', () => {
  const { now } = Date;
  let time: number;
  let passing: number;
  beforeEach(() => {
    [time, passing] = [opens - 1, 0];
    // Every look at the clock takes as long as `passing`.
    Date.now = () => (time += passing) - passing;
  });
  afterEach(() => {
    Date.now = now;
  });

  function watchedTuning() {
    const tuning = new GameTuning({ starting: () => ({ 'storm-warning': false }) });
    tuning.takeRules({
      edition: 1,
      value: (_, at) => at >= opens && at < closes,
      nextChange: (after) => [opens, closes].find((edge) => edge > after) ?? null,
    });
    return tuning;
  }

  it('looks again at once for a window that opens between a look and the next', () => {
    const tuning = watchedTuning();
    tuning.watch('storm-warning', () => undefined);
    const { setTimeout } = globalThis;
    const waits: (number | undefined)[] = [];
    globalThis.setTimeout = Object.assign((look: () => void, wait?: number) => {
      waits.push(wait);
      return setTimeout(look, wait);
    }, setTimeout);
    // The timer fires a millisecond early, and the clock moves on while it looks.
    passing = 1;
    tuning.look();
    globalThis.setTimeout = setTimeout;
    expect(waits).to.deep.equal([1]);
    tuning.stop();
  });

  it('tells of a window that opened before another begins to watch', () => {
    const tuning = watchedTuning();
    const told: unknown[] = [];
    tuning.watch('storm-warning', (value) => told.push(value));
    time = opens;
    tuning.watch('storm-warning', () => undefined);
    expect(told).to.deep.equal([true]);
    tuning.stop();
  });
});
