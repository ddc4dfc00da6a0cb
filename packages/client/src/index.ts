export * from './errors.js';
export * from './host/index.js';
export { VekkonOperator, type VekkonOperatorOptions } from './operator/vekkon-operator.js';
export {
  browserStorage,
  memoryStorage,
  StorageUnreadable,
  VekkonPlayer,
  type Conflict,
  type Decision,
  type PlayerStatus,
  type PlayerStorage,
  type VekkonPlayerOptions,
} from './player/index.js';
