/** Names that are known without the shapes of requests: whoever needs only these loads little. */
export * from './limit-catalogue.js';
export * from './roles-and-scopes.js';
