export * from './growing-wait.js';
export * from './decide-identity-code.js';
export * from './decide-refresh.js';
export * from './password.js';
export * from './together.js';
