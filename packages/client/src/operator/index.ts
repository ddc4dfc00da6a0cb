export * from '../errors.js';
export { HttpTransport } from '../transport/transport.js';
export * from './vekkon-operator.js';
