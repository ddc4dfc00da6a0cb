export * from './errors.js';
export * from './host/index.js';
export * from './operator/index.js';
