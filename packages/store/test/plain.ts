import { highfell } from '../../core/test/highfell.js';

/** An environment of Highfell Gliders, as a command to the writer. */
export const plainEnvironment = {
  game: 'highfell-gliders',
  name: 'dev',
  isLive: false,
  leaseSeconds: 60,
  manifest: { manifest: highfell.manifest, source: '' },
  origins: null,
  keys: [],
  by: 'maren@highfell.example',
};

/** A join with nothing but its names, as a command to the writer. */
export function plainJoin(environment: number, player: string, session: string) {
  return {
    environment,
    player,
    session,
    host: 'ridge-eu-1',
    instance: null,
    device: null,
    attempt: null,
    name: null,
    attributes: {},
    manifest: null,
    waits: false,
  };
}
