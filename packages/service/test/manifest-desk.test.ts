import type { Worker } from 'node:worker_threads';
import { expect } from 'chai';
import { demoManifest } from '@vekkon/demo';
import type { Refusal } from '@vekkon/protocol';
// Built: the thread is started from a file.
import { ManifestDesk } from '../dist/manifest-desk.js';
import { until } from '../../../tests/world/until.js';

describe('the desk where manifests are read', () => {
  it('gives up one that takes too long, and reads the next in another thread', async () => {
    const hasty = new ManifestDesk(1);
    const refused = await hasty.read(demoManifest(), 'tobin').catch((error: Refusal) => error.code);
    expect(refused).to.equal('manifest-too-costly');
    hasty.close();
    const patient = new ManifestDesk(25_000);
    expect(await patient.read(demoManifest(), 'tobin')).to.have.nested.property('manifest.game', 'highfell-gliders');
    patient.close();
  });

  it('ends its thread when it has had nothing to do for a while, and begins another when it is asked again', async () => {
    const threads: Worker[] = [];
    const take = (worker: Worker) => threads.push(worker);
    process.on('worker', take);
    const [other, desk] = [new ManifestDesk(25_000), new ManifestDesk(25_000, 1)];
    // The other takes the thread that is spare, if there is one.
    const reads = [other.read(demoManifest(), 'tobin'), desk.read(demoManifest(), 'tobin')];
    await Promise.all(reads);
    const last = threads.at(-1);
    // As Node tells it of one that has ended.
    await until(() => last?.threadId === -1);
    expect(await desk.read(demoManifest(), 'tobin')).to.have.nested.property('manifest.game', 'highfell-gliders');
    expect(threads.at(-1)).to.not.equal(last);
    process.off('worker', take);
    desk.close();
    other.close();
  });

  it('lets go of what waits when the service stops', async () => {
    const desk = new ManifestDesk();
    const waiting = desk.read(demoManifest(), 'tobin').catch((error: Refusal) => error.code);
    desk.close();
    expect(await waiting).to.equal('service-stopping');
  });
});
