export { openLog, type Logger } from './log.js';
export { startService, type Service, type ServiceOptions } from './service.js';
