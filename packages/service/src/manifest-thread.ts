import { parentPort } from 'node:worker_threads';
import { readManifestFile } from '@vekkon/core/manifest-file';

// The thread in which manifests are read: a text comes in, what was read goes out.
parentPort?.on('message', (source: string) => parentPort?.postMessage(readManifestFile(source)));
