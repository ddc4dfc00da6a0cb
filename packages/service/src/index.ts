export { openLog, type Logger } from './log.js';
export { startService, version, type Service, type ServiceOptions } from './service.js';
