export * from './clock.js';
export * from './store.js';
export type { Reader, Credential } from './reader/reader.js';
export type { Writer } from './writer/writer.js';
export type { EnvironmentRow, PlayerRow, SessionRow } from './tables.js';
export type { InstalledManifest } from './manifests.js';
export type { ChangedOutside } from './writer/commands/unsettled.js';
export type { Held, Joined } from './writer/commands/join.js';
export type { Saved, SaveOutcome } from './writer/commands/save.js';
