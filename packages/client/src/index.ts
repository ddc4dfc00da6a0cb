export * from './errors.js';
export * from './host/index.js';
export { VekkonOperator, type VekkonOperatorOptions } from './operator/vekkon-operator.js';
