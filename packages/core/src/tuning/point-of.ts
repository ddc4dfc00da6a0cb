/**
 * Where a player stands among all, for a percentage: the same for as long as
 * the salt is, spread evenly, and independent between salts.
 *
 * MurmurHash3 (x86, 32 bits; A. Appleby) over the UTF-16 code units of the
 * id, seeded by the salt's.
 *
 * @returns from 0, to less than 100
 */
export function pointOf(salt: string, player: string): number {
  return pointFrom(seedOf(salt), player);
}

/** What `pointFrom` takes in place of a salt: the same for all players. */
export function seedOf(salt: string): number {
  return murmur3(salt, 0);
}

/** The same as `pointOf`, for whoever asks of many players. */
export function pointFrom(seed: number, player: string): number {
  return (murmur3(player, seed) / 2 ** 32) * 100;
}

/** @returns 32 bits, from 0 */
export function murmur3(text: string, seed: number): number {
  let hash = seed;
  for (let index = 0; index < text.length; index++) {
    let block = Math.imul(text.charCodeAt(index), 0xcc9e2d51);
    block = Math.imul((block << 15) | (block >>> 17), 0x1b873593);
    hash ^= block;
    hash = (hash << 13) | (hash >>> 19);
    hash = (Math.imul(hash, 5) + 0xe6546b64) | 0;
  }
  hash ^= text.length;
  hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b);
  hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35);
  return (hash ^ (hash >>> 16)) >>> 0;
}
