/**
 * What edits a manifest's text, and the schema that editors hold it against.
 * Apart from what reads and judges one: that brings a checker of patterns
 * which takes some 10 MiB wherever it is loaded.
 */
export { fileWithLearned } from './file-with-learned.js';
export { fileWithoutTunable, fileWithTunable } from './file-with-tunable.js';
export { manifestSchema } from './manifest-schema.js';
