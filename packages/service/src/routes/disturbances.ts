import { Refusal, routes } from '@vekkon/protocol';
import { nameOf } from '../access.js';
import { serveRoute, type Desk } from '../serve-route.js';

/** Faults made on purpose, so that a game's own retries can be tried. */
export function serveDisturbances(desk: Desk): void {
  const { disturbances, writer } = desk;

  serveRoute(desk, routes.disturbance, async ({ environment }) => ({
    disturbance: disturbances.show(environment().number),
  }));

  serveRoute(desk, routes.startDisturbance, async ({ body, environment, principal }) => {
    const { number, is_live, game, name } = environment();
    const isAdmin = principal.sort === 'operator' && principal.operator.role === 'admin';
    if (is_live === 1 && !(body.force && isAdmin)) {
      throw new Refusal(
        'environment-is-live',
        `Players are in ${game}/${name}. Try it in another environment; only an admin may force it here.`,
      );
    }
    if (body.delay !== undefined && body.delay.from > body.delay.to) {
      throw new Refusal(
        'request-invalid',
        `The delay goes from ${body.delay.from} to ${body.delay.to}: write the smaller first.`,
      );
    }
    const { refuse, loseResponses, seconds } = body;
    const by = nameOf(principal);
    const faults = { refuse, delay: body.delay ?? null, loseResponses, seconds };
    await writer.do('note', {
      environment: number,
      what: 'disturbance-started',
      by,
      player: null,
      detail: inWords(faults),
    });
    disturbances.start(number, faults, by);
    return { disturbance: disturbances.show(number) };
  });

  serveRoute(desk, routes.stopDisturbance, async ({ environment, principal }) => {
    const { number } = environment();
    const stopped = disturbances.stop(number);
    if (stopped !== null) {
      const detail = `${stopped.refused} calls refused, ${stopped.lost} responses lost`;
      await writer.do('note', {
        environment: number,
        what: 'disturbance-stopped',
        by: nameOf(principal),
        player: null,
        detail,
      });
    }
    return { disturbance: stopped };
  });
}

interface Faults {
  readonly refuse: number;
  readonly delay: { readonly from: number; readonly to: number } | null;
  readonly loseResponses: number;
  readonly seconds: number;
}

/** As it stands in the activity. */
function inWords({ refuse, delay, loseResponses, seconds }: Faults): string {
  const heldUp = delay === null ? '' : `each held up ${delay.from} to ${delay.to} ms, `;
  return `${refuse * 100}% of calls refused, ${heldUp}${loseResponses * 100}% of responses lost, for ${seconds} s`;
}
