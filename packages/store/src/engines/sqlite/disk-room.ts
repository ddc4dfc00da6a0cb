import { readdir, stat, statfs } from 'node:fs/promises';
import path from 'node:path';

/** In bytes. */
export interface DiskRoom {
  /** What the database takes, with what is written ahead. */
  readonly bytes: number;
  /** What is free on its disk, and how large that is. */
  readonly free: number;
  readonly size: number;
}

/** How much room the database takes, and has. */
export async function diskRoom(folder: string): Promise<DiskRoom> {
  const files = (await readdir(folder)).filter((name) => name.startsWith('vekkon.sqlite'));
  const sizes = await Promise.all(
    files.map((name) =>
      stat(path.join(folder, name)).then(
        ({ size }) => size,
        () => 0,
      ),
    ),
  );
  const { bavail, blocks, bsize } = await statfs(folder);
  return { bytes: sizes.reduce((sum, size) => sum + size, 0), free: bavail * bsize, size: blocks * bsize };
}
