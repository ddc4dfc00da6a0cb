export { exitStatus } from './exit-status.js';
