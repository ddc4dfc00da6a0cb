/** One step of a rehearsal, for people and for programs. */
export interface Step {
  readonly step: string;
  readonly expected: string;
  readonly found: string;
  readonly isAsExpected: boolean;
  /** Where it is not: the likeliest cause, and what to do. */
  readonly advice?: string;
}

/** What a step found, against what it expected. */
export interface Finding {
  readonly found: string;
  readonly isAsExpected: boolean;
  readonly advice?: string;
}

export function asExpected(found: string): Finding {
  return { found, isAsExpected: true };
}

export function otherwise(found: string, advice: string): Finding {
  return { found, isAsExpected: false, advice };
}
