import { expect } from 'chai';
import { demoManifest } from '@vekkon/demo';
import type { Refusal } from '@vekkon/protocol';
// Built: the thread is started from a file.
import { ManifestDesk } from '../dist/manifest-desk.js';

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

  it('lets go of what waits when the service stops', async () => {
    const desk = new ManifestDesk();
    const waiting = desk.read(demoManifest(), 'tobin').catch((error: Refusal) => error.code);
    desk.close();
    expect(await waiting).to.equal('service-stopping');
  });
});
