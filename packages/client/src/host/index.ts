export * from '../errors.js';
export * from './host-session.js';
export * from './vekkon-host.js';
