import { limitCatalogue, limitNames, routes, type LimitsResponse } from '@vekkon/protocol';
import { rfc3339, type EnvironmentRow } from '@vekkon/store';
import { nameOf } from '../access.js';
import { ownLimits } from '../limits/limits.js';
import { serveRoute, type Desk } from '../serve-route.js';

/** How much one caller may ask for in an environment, and who has asked for more. */
export function serveLimits(desk: Desk): void {
  const { writer, limitNumbers } = desk;

  serveRoute(desk, routes.limits, async ({ environment }) => told(environment()));

  serveRoute(desk, routes.setLimits, async ({ body, environment, principal }) => {
    const { number } = environment();
    const limits = Object.fromEntries(
      Object.entries(body.limits).filter((pair): pair is [string, number] => pair[1] !== undefined),
    );
    await writer.do('setLimits', { environment: number, limits, by: nameOf(principal) });
    return told(environment());
  });

  function told(place: EnvironmentRow): LimitsResponse {
    const own = ownLimits(place);
    return {
      limits: limitNames.map((name) => ({
        ...{ name, words: limitCatalogue[name].words },
        ...{ usual: limitNumbers.usual[name], own: own[name] ?? null },
      })),
      ranInto: limitNumbers.ranInto.of(place.number).map(({ at, ...rest }) => ({ ...rest, at: rfc3339(at) })),
    };
  }
}
