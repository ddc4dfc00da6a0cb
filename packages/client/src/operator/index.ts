export * from '../errors.js';
export * from './vekkon-operator.js';
