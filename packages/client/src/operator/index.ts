export * from '../errors.js';
export { HttpTransport } from '../transport/transport.js';
export type { GiftForeseen } from './operator-gifts.js';
export * from './vekkon-operator.js';
