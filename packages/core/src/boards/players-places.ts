/** How many entries one table has at the most before it is parted, and into how many parts. */
const mostInOne = 4096;
const parts = 256;
const smallest = 16;

/**
 * Which number belongs to each player, as an open-addressed hash table over
 * typed arrays. A large one is parted into many small ones, which grow one at
 * a time: nobody ever waits until all of a million are moved.
 */
export class PlayersPlaces {
  #whole: Part | undefined = new Part(smallest);
  #parts: readonly Part[] = [];
  #count = 0;

  get size(): number {
    return this.#count;
  }

  /** About how many bytes it takes. */
  get bytes(): number {
    if (this.#whole !== undefined) return this.#whole.bytes;
    return this.#parts.reduce((sum, part) => sum + part.bytes, 0);
  }

  /** @returns undefined for a player who is not in it */
  get(player: number): number | undefined {
    return this.#partOf(player).get(player);
  }

  set(player: number, place: number): void {
    if (this.#partOf(player).set(player, place)) this.#count++;
    if (this.#whole !== undefined && this.#count > mostInOne) this.#divide(this.#whole);
  }

  delete(player: number): void {
    if (this.#partOf(player).delete(player)) this.#count--;
  }

  #partOf(player: number): Part {
    return this.#whole ?? (this.#parts[mixed(player) >>> 24] as Part);
  }

  #divide(whole: Part): void {
    this.#whole = undefined;
    this.#parts = Array.from({ length: parts }, () => new Part(smallest));
    whole.each((player, place) => this.#partOf(player).set(player, place));
  }
}

/** One table: linear probing, at most three quarters full, 0 where nothing stands. */
class Part {
  #players: Uint32Array;
  #places: Uint32Array;
  #count = 0;

  constructor(length: number) {
    this.#players = new Uint32Array(length);
    this.#places = new Uint32Array(length);
  }

  get bytes(): number {
    return this.#players.byteLength + this.#places.byteLength;
  }

  get(player: number): number | undefined {
    const at = this.#find(player);
    return this.#players[at] === player ? this.#places[at] : undefined;
  }

  /** @returns is it new? */
  set(player: number, place: number): boolean {
    const at = this.#find(player);
    const isNew = this.#players[at] !== player;
    this.#players[at] = player;
    this.#places[at] = place;
    if (isNew && ++this.#count * 4 > this.#players.length * 3) this.#grow();
    return isNew;
  }

  delete(player: number): boolean {
    const mask = this.#players.length - 1;
    let gap = this.#find(player);
    if (this.#players[gap] !== player) return false;
    // What stood further only because this place was taken moves up.
    for (let at = (gap + 1) & mask; ; at = (at + 1) & mask) {
      const one = this.#players[at] ?? 0;
      if (one === 0) break;
      const wanted = mixed(one) & mask;
      if (((at - wanted) & mask) < ((at - gap) & mask)) continue;
      this.#players[gap] = one;
      this.#places[gap] = this.#places[at] ?? 0;
      gap = at;
    }
    this.#players[gap] = 0;
    this.#count--;
    return true;
  }

  each(visit: (player: number, place: number) => void): void {
    for (const [at, player] of this.#players.entries()) if (player !== 0) visit(player, this.#places[at] ?? 0);
  }

  #find(player: number): number {
    const mask = this.#players.length - 1;
    let at = mixed(player) & mask;
    while (this.#players[at] !== 0 && this.#players[at] !== player) at = (at + 1) & mask;
    return at;
  }

  #grow(): void {
    const [players, places] = [this.#players, this.#places];
    this.#players = new Uint32Array(players.length * 2);
    this.#places = new Uint32Array(players.length * 2);
    for (const [from, player] of players.entries()) {
      if (player === 0) continue;
      const at = this.#find(player);
      this.#players[at] = player;
      this.#places[at] = places[from] ?? 0;
    }
  }
}

/** Spreads numbers that follow one another: the finaliser of MurmurHash3 (Austin Appleby, public domain). */
function mixed(number: number): number {
  let hash = number | 0;
  hash = Math.imul(hash ^ (hash >>> 16), 0x85ebca6b);
  hash = Math.imul(hash ^ (hash >>> 13), 0xc2b2ae35);
  return (hash ^ (hash >>> 16)) >>> 0;
}
