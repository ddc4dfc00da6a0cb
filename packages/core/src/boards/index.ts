export * from './seasons.js';
export * from './spread.js';
export * from './standing-index.js';
