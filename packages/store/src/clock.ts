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

/** RFC 3339 in UTC. */
export function rfc3339(time: number): string {
  return new Date(time).toISOString();
}
