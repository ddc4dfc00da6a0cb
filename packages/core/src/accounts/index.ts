export * from './decide-refresh.js';
export * from './password.js';
export * from './together.js';
