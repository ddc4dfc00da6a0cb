export * from './demo.js';
export * from './fleet.js';
export * from './flying.js';
export * from './pilots.js';
export * from './random.js';
