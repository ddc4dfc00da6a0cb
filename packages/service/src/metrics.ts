import type { IRouter } from 'express';
import { collectDefaultMetrics, Gauge, Registry } from 'prom-client';
import type { Desk } from './serve-route.js';

/**
 * Figures for whoever watches over the service, at `/metrics`, as text that
 * collectors of metrics read. For operators: a collector shows a viewer's token.
 */
export function serveMetrics(router: IRouter, desk: Desk): void {
  const { reader, streams, tuningStreams, writer } = desk;
  const registry = new Registry();
  // Memory, processor, handles, and how late the event loop runs.
  collectDefaultMetrics({ register: registry });
  const labelNames = ['environment', 'reason'] as const;
  const unlike = new Gauge({
    name: 'vekkon_unsettled_unlike',
    help: 'Unsettled transactions, alike ones as one',
    labelNames,
    registers: [registry],
  });
  const transactions = new Gauge({
    name: 'vekkon_unsettled_transactions',
    help: 'Unsettled transactions, with all the alike ones',
    labelNames,
    registers: [registry],
  });
  const fullest = new Gauge({
    name: 'vekkon_unsettled_unlike_of_one_player',
    help: 'The most unlike unsettled transactions that one player holds: at 100 their saves are refused',
    labelNames: ['environment'],
    registers: [registry],
  });
  const open = new Gauge({ name: 'vekkon_streams_open', help: 'Streams that are open', registers: [registry] });
  const writable = new Gauge({
    name: 'vekkon_store_writable',
    help: '1 where the last commit succeeded',
    registers: [registry],
  });

  async function look(): Promise<void> {
    for (const gauge of [unlike, transactions, fullest]) gauge.reset();
    for (const { number, game, name } of desk.environments.all) {
      const environment = `${game}/${name}`;
      const { sums, players } = await reader.unsettled.sums(number);
      for (const sum of sums) {
        unlike.inc({ environment, reason: sum.reason }, sum.unlike);
        transactions.inc({ environment, reason: sum.reason }, sum.transactions);
      }
      fullest.set({ environment }, Math.max(0, ...players.map((player) => player.unlike)));
    }
    open.set(streams.count + tuningStreams.count);
    writable.set(writer.isWritable ? 1 : 0);
  }

  router.get('/metrics', async (request, response) => {
    await desk.access.admit(request, { callers: ['viewer'], scope: 'read' }, () => desk.limits.meet(request, response));
    await look();
    response.type(registry.contentType).send(await registry.metrics());
  });
}
