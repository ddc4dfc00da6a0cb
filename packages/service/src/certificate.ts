import { readFileSync, unwatchFile, watchFile } from 'node:fs';
import type { Server } from 'node:https';
import { createSecureContext, type SecureContextOptions } from 'node:tls';
import type { Logger } from './log.js';

/** A certificate with its key, as files in PEM (RFC 7468): renewed files are taken up while the service runs. */
export interface CertificateFiles {
  /** With the certificates between it and its root, if there are any. */
  readonly certificate: string;
  readonly privateKey: string;
  /** How often the files are looked at, in milliseconds; every 10 seconds if left out. */
  readonly lookEvery?: number | undefined;
}

const usuallyLookEvery = 10_000;
/** What is not taken any more: TLS 1.0 and 1.1 (RFC 8996). */
const minVersion = 'TLSv1.2';

/** @throws in words where the files can't be read, or do not belong together */
export function readCertificate({ certificate, privateKey }: CertificateFiles): SecureContextOptions {
  try {
    const options = { cert: readFileSync(certificate), key: readFileSync(privateKey), minVersion } as const;
    createSecureContext(options);
    return options;
  } catch (cause) {
    const why = cause instanceof Error ? cause.message : String(cause);
    throw new Error(`The certificate ${certificate} with the key ${privateKey} can't be used: ${why}.`, { cause });
  }
}

/**
 * Takes up a certificate when its files are others: connections that stand go
 * on, new ones get the new one. What can't be used is told, and the old one
 * stays.
 *
 * @returns ends it
 */
export function followCertificate(server: Server, files: CertificateFiles, log: Logger): () => void {
  const { certificate, privateKey, lookEvery: interval = usuallyLookEvery } = files;
  const look = () => {
    try {
      server.setSecureContext(readCertificate(files));
      log.info({ certificate }, 'Another certificate was taken up');
    } catch (err) {
      log.error({ err }, 'The certificate has changed and can’t be used: the one before it is used on');
    }
  };
  for (const file of [certificate, privateKey]) watchFile(file, { interval, persistent: false }, look);
  return () => {
    for (const file of [certificate, privateKey]) unwatchFile(file, look);
  };
}
