export * from './openapi.js';
export * from './problems.js';
export * from './routes.js';
export * from './shapes/changes.js';
export * from './shapes/operators.js';
export * from './shapes/players.js';
export * from './shapes/sessions.js';
export * from './shapes/values.js';
