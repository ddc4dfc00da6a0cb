import { parentPort } from 'node:worker_threads';
import { readManifestFile, type ReadManifest } from '@vekkon/core/manifest-file';
import { giveWay } from '@vekkon/store/give-way';

giveWay();

/** What the thread sends: that it has begun to read, from when on its time counts, and what it read. */
export type FromManifestThread = 'begun' | ReadManifest;

function send(message: FromManifestThread): void {
  parentPort?.postMessage(message);
}

// The thread in which manifests are read: a text comes in, what was read goes out.
parentPort?.on('message', (source: string) => {
  send('begun');
  send(readManifestFile(source));
});
