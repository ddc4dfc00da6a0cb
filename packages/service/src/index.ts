export type { CertificateFiles } from './certificate.js';
export type { ServiceLimits } from './limits/limits.js';
export { openLog, type Logger } from './log.js';
export { startService, type Service, type ServiceOptions } from './service.js';
