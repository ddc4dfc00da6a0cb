import { limitCatalogue, limitNames, type LimitName, type LimitNumbers } from '@vekkon/protocol';
import type { EnvironmentRow } from '@vekkon/store';
import type { Environments } from '../environments.js';
import { RanInto } from './ran-into.js';

/** How much one caller may ask for where nobody says otherwise, and what has no environment: 0 sets no bound. */
export interface ServiceLimits extends LimitNumbers {
  /** Credentials that were not seen lately under one address, in a minute: most of a flood's are made up. */
  readonly newCredentials: number;
}

const usual = {
  ...(Object.fromEntries(limitNames.map((name) => [name, limitCatalogue[name].usual])) as unknown as LimitNumbers),
  newCredentials: 3_000,
} satisfies ServiceLimits;

/** The names under which a service can be started with others. */
export const serviceLimitNames = Object.keys(usual) as readonly (keyof ServiceLimits)[];

/** How much one caller may ask for in each environment, and who has asked for more. */
export class Limits {
  readonly usual: ServiceLimits;
  readonly ranInto: RanInto;
  readonly #environments: Environments;
  /** What is set for environments, by their rows: another row, another set. */
  readonly #own = new WeakMap<EnvironmentRow, LimitNumbers>();

  constructor(environments: Environments, numbers: Partial<ServiceLimits> = {}, now: () => number = Date.now) {
    this.#environments = environments;
    this.usual = { ...usual, ...numbers };
    this.ranInto = new RanInto(now);
  }

  /** Those of an environment; as usual where there is none. */
  of(environment: number | undefined): LimitNumbers {
    if (environment === undefined) return this.usual;
    const row = this.#environments.numbered(environment);
    if (row.limits === null) return this.usual;
    const held = this.#own.get(row);
    if (held !== undefined) return held;
    const numbers = { ...this.usual, ...ownLimits(row) };
    this.#own.set(row, numbers);
    return numbers;
  }
}

/** What an environment has set for itself. */
export function ownLimits({ limits }: EnvironmentRow): { readonly [Name in LimitName]?: number } {
  return limits === null ? {} : (JSON.parse(limits) as { readonly [Name in LimitName]?: number });
}
