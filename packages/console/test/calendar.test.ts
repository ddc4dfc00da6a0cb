import { expect } from 'chai';
import type { Draft } from '@vekkon/protocol';
import { barsOf, daysBetween, moved, overlapsOf } from '../src/components/tuning/calendar.js';

const hour = 3_600_000;
const at = (time: string) => Date.parse(time);

/** Lisbon in 2026: summer time begins on 29 March and ends on 25 October, at 1:00 UTC. */
function lisbon(moment: number): number {
  return moment >= at('2026-03-29T01:00:00Z') && moment < at('2026-10-25T01:00:00Z') ? hour : 0;
}

/** A draft of one tunable with these adjustments. */
function draftOf(...adjustments: Draft['tunables'][string]['adjustments']): Draft {
  return { tunables: { 'thermal-strength': { adjustments } } } as unknown as Draft;
}

describe('the calendar of windows', () => {
  it('begins days at midnight of the zone, and has one of 25 hours when summer time ends', () => {
    const days = daysBetween(at('2026-10-23T23:00:00Z'), at('2026-10-27T00:00:00Z'), lisbon);
    expect(days.map((day) => new Date(day).toISOString())).to.deep.equal([
      '2026-10-23T23:00:00.000Z',
      '2026-10-24T23:00:00.000Z',
      '2026-10-26T00:00:00.000Z',
      '2026-10-27T00:00:00.000Z',
    ]);
  });

  it('has one of 23 hours when it begins, and goes over the end of a month', () => {
    const days = daysBetween(at('2026-03-28T00:00:00Z'), at('2026-04-01T00:00:00Z'), lisbon);
    expect(days.map((day) => new Date(day).toISOString())).to.deep.equal([
      '2026-03-28T00:00:00.000Z',
      '2026-03-29T00:00:00.000Z',
      '2026-03-29T23:00:00.000Z',
      '2026-03-30T23:00:00.000Z',
      '2026-03-31T23:00:00.000Z',
    ]);
  });

  it('shows what is past, running and to come, and leaves out what has no window', () => {
    const draft = draftOf(
      { id: 'a', value: 1, window: { until: '2026-11-01T00:00:00Z' } },
      { id: 'b', value: 2, window: { from: '2026-11-01T00:00:00Z' } },
      { id: 'c', value: 3, window: { from: '2026-12-01T00:00:00Z', until: '2026-12-02T00:00:00Z' } },
      { id: 'd', value: 4 },
    );
    const bars = barsOf(draft, at('2026-11-10T00:00:00Z'));
    expect(bars.map(({ name, state }) => [name, state])).to.deep.equal([
      ['a', 'past'],
      ['b', 'running'],
      ['c', 'to come'],
    ]);
  });

  it('names overlaps that are not over, with which one wins', () => {
    const window = (from: number, until: number) => ({
      from: `2026-11-${from}T00:00:00Z`,
      until: `2026-11-${until}T00:00:00Z`,
    });
    const draft = draftOf(
      { id: 'first', value: 1, window: window(10, 20) },
      { id: 'some', value: 2, percent: 10, window: window(15, 25) },
      { id: 'third', value: 3, window: window(24, 28) },
    );
    const overlaps = (now: string) =>
      overlapsOf(barsOf(draft, at(now)), at(now)).map(({ winner, loser, isForAll }) => [winner, loser, isForAll]);
    expect(overlaps('2026-11-01T00:00:00Z')).to.deep.equal([
      ['first', 'some', true],
      ['some', 'third', false],
    ]);
    expect(overlaps('2026-11-22T00:00:00Z')).to.deep.equal([['some', 'third', false]]);
  });

  it('moves a window or an end of it, and lets no end pass the other', () => {
    const one = { id: 'a', value: 1, window: { from: '2026-11-10T00:00:00.000Z', until: '2026-11-11T00:00:00.000Z' } };
    expect(moved(one, 'all', hour).window).to.deep.equal({
      from: '2026-11-10T01:00:00.000Z',
      until: '2026-11-11T01:00:00.000Z',
    });
    expect(moved(one, 'until', -hour).window?.until).to.equal('2026-11-10T23:00:00.000Z');
    expect(moved(one, 'from', 24 * hour)).to.equal(one);
    const open = { id: 'b', value: 1, window: { from: one.window.from } };
    expect(moved(open, 'all', hour).window).to.deep.equal({ from: '2026-11-10T01:00:00.000Z' });
  });
});
