export * from '../errors.js';
export { HttpTransport } from '../transport/transport.js';
export { TransactionDraft } from '../session/transaction-draft.js';
export type { FailedTry } from '../transport/retrying-transport.js';
export type { Delivery } from './delivery.js';
export * from './host-session.js';
export { Spool, undeliveredOf, type SpoolEntry, type SpoolFound, type Undelivered } from './spool.js';
export { UnsavedSession } from './unsaved-session.js';
export * from './vekkon-host.js';
