import type { Manifest } from '../manifest/manifest.js';
import type { SchemaCheck } from '../keys/check-value.js';

/** What a transaction is judged by. */
export interface Rules {
  readonly manifest: Manifest;
  /** Left out where no validator is at hand, as in a game on a device: the service checks anyway. */
  readonly check?: SchemaCheck | undefined;
  /** What is not declared is declared from its first value. */
  readonly learns?: boolean | undefined;
}
