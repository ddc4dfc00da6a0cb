/** Where the store gets its time from; tests and the demo bring their own. */
export interface Clock {
  /** Milliseconds since 1970, UTC. It may jump. */
  now(): number;
  /** Milliseconds since some moment. It never jumps: leases go by it. */
  monotonic(): number;
}

export const systemClock: Clock = {
  now: () => Date.now(),
  monotonic: () => performance.now(),
};

let last = { time: 0, text: new Date(0).toISOString() };

/** RFC 3339 in UTC. Many ask for the same moment, one after another: it is written out once. */
export function rfc3339(time: number): string {
  if (last.time !== time) last = { time, text: new Date(time).toISOString() };
  return last.text;
}
