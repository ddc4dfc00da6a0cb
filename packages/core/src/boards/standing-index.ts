import { PlayersPlaces } from './players-places.js';

/** One player's place, without its rank. */
export interface Placed {
  /** The player's number, 1 to 2³²−1. */
  readonly player: number;
  /** What the board orders by. */
  readonly value: number;
  /** When it was reached, in milliseconds since 1970: of equal values the earlier stands higher. */
  readonly reached: number;
}

/** How many standings one leaf holds, and how many children one inner node has, at the most. */
const leafCapacity = 256;
const fanout = 64;
const smallestLeaf = 8;
const bytesOfStanding = 8 + 8 + 4;

/**
 * The standings of one season in their order: rank of a player, player at a
 * rank, a stretch, insert, move and remove, each in O(log n).
 *
 * A B+ tree whose inner nodes count what is beneath them (order statistics:
 * Cormen, Leiserson, Rivest, Stein, "Introduction to Algorithms", 14.1), its
 * leaves typed arrays; a hash table leads from a player to their leaf. Ties of
 * value go to whoever reached it first, then to the smaller number, so that
 * the same standings always stand in the same order.
 */
export class StandingIndex {
  readonly #isHigherBetter: boolean;
  readonly #leaves: (Leaf | undefined)[] = [];
  readonly #free: number[] = [];
  readonly #places = new PlayersPlaces();
  #root: Node;
  #bytes = 0;

  /** @param better which values stand first */
  constructor(better: 'higher' | 'lower') {
    this.#isHigherBetter = better === 'higher';
    this.#root = this.#newLeaf(smallestLeaf);
  }

  /** How many standings there are. */
  get size(): number {
    return this.#places.size;
  }

  /** About how many bytes it takes. */
  get bytes(): number {
    return this.#bytes + this.#places.bytes;
  }

  has(player: number): boolean {
    return this.#places.get(player) !== undefined;
  }

  /** What a player has reached; undefined if they are not on the board. */
  of(player: number): Placed | undefined {
    const leaf = this.#leafOf(player);
    return leaf?.at(leaf.indexOf(player));
  }

  /** Gives a player a standing in place of the one that they had. */
  set(player: number, value: number, reached: number): void {
    const own = this.#leafOf(player);
    if (own !== undefined) {
      const at = own.indexOf(player);
      if (own.values[at] === value && own.reached[at] === reached) return;
      this.#takeOut(own, at, player);
    }
    const leaf = this.#leafFor(value, reached, player);
    leaf.insert(this.#positionIn(leaf, value, reached, player), value, reached, player, (grown) => {
      this.#bytes += grown;
    });
    this.#places.set(player, leaf.id);
    count(leaf, 1);
    if (leaf.size === leafCapacity) this.#split(leaf);
  }

  /** @returns was there one? */
  remove(player: number): boolean {
    const leaf = this.#leafOf(player);
    if (leaf === undefined) return false;
    this.#takeOut(leaf, leaf.indexOf(player), player);
    return true;
  }

  /** A player's rank, from 1; undefined if they are not on the board. */
  rankOf(player: number): number | undefined {
    const leaf = this.#leafOf(player);
    return leaf === undefined ? undefined : before(leaf) + leaf.indexOf(player) + 1;
  }

  /** The rank that a standing would have if nothing of that player's stood on the board. */
  rankIf({ player, value, reached }: Placed): number {
    const leaf = this.#leafFor(value, reached, player);
    const ahead = before(leaf) + this.#positionIn(leaf, value, reached, player);
    const own = this.of(player);
    const isOwnAhead = own !== undefined && this.#isBefore(own.value, own.reached, player, value, reached, player);
    return ahead + 1 - (isOwnAhead ? 1 : 0);
  }

  /**
   * A stretch of standings.
   *
   * @param start the first rank, from 1
   * @returns at most `most` of them, in order; none beyond the end
   */
  stretch(start: number, most: number): readonly Placed[] {
    const found: Placed[] = [];
    if (start > this.size) return found;
    let skip = Math.max(start, 1) - 1;
    let node = this.#root;
    while (node instanceof Inner) {
      let child = 0;
      while (skip >= (node.counts[child] ?? 0)) skip -= node.counts[child++] ?? 0;
      node = node.children[child] as Node;
    }
    for (let leaf: Leaf | undefined = node; leaf !== undefined && found.length < most; leaf = leaf.next) {
      for (; skip < leaf.size && found.length < most; skip++) found.push(leaf.at(skip));
      skip = 0;
    }
    return found;
  }

  /** All of them in order. Whoever changes the index meanwhile ends the walk at an unknown place. */
  *[Symbol.iterator](): Generator<Placed> {
    let node = this.#root;
    while (node instanceof Inner) node = node.children[0] as Node;
    for (let leaf: Leaf | undefined = node; leaf !== undefined; leaf = leaf.next) {
      for (let at = 0; at < leaf.size; at++) yield leaf.at(at);
    }
  }

  #leafOf(player: number): Leaf | undefined {
    const id = this.#places.get(player);
    return id === undefined ? undefined : this.#leaves[id];
  }

  #isBefore(value: number, reached: number, player: number, than: number, its: number, other: number): boolean {
    if (value !== than) return this.#isHigherBetter ? value > than : value < than;
    return reached === its ? player < other : reached < its;
  }

  /** The leaf in which a standing lies, or would lie. */
  #leafFor(value: number, reached: number, player: number): Leaf {
    let node = this.#root;
    while (node instanceof Inner) {
      // The last child whose first standing is not after this one.
      let [low, high] = [0, node.size - 1];
      while (low < high) {
        const middle = (low + high + 1) >>> 1;
        const first = node.children[middle]?.first as Leaf;
        const [one, its, whose] = [first.values[0] ?? 0, first.reached[0] ?? 0, first.players[0] ?? 0];
        if (this.#isBefore(value, reached, player, one, its, whose)) high = middle - 1;
        else low = middle;
      }
      node = node.children[low] as Node;
    }
    return node;
  }

  /** How many in a leaf stand before a standing. */
  #positionIn({ values, reached: times, players, size }: Leaf, value: number, reached: number, player: number): number {
    let [low, high] = [0, size];
    while (low < high) {
      const middle = (low + high) >>> 1;
      const isBefore = this.#isBefore(
        values[middle] ?? 0,
        times[middle] ?? 0,
        players[middle] ?? 0,
        value,
        reached,
        player,
      );
      if (isBefore) low = middle + 1;
      else high = middle;
    }
    return low;
  }

  #takeOut(leaf: Leaf, at: number, player: number): void {
    leaf.takeOut(at);
    this.#places.delete(player);
    count(leaf, -1);
    if (leaf.size === 0) this.#drop(leaf);
  }

  #newLeaf(capacity: number): Leaf {
    const id = this.#free.pop() ?? this.#leaves.length;
    const leaf = new Leaf(id, capacity);
    this.#leaves[id] = leaf;
    this.#bytes += capacity * bytesOfStanding;
    return leaf;
  }

  /** A full leaf hands its second half to a new one; at the end of the board only a little, so that rising ones fill. */
  #split(leaf: Leaf): void {
    const kept = leaf.next === undefined ? leafCapacity - 16 : leafCapacity / 2;
    const other = this.#newLeaf(leafCapacity);
    leaf.moveRest(kept, other);
    for (let at = 0; at < other.size; at++) this.#places.set(other.players[at] ?? 0, other.id);
    other.next = leaf.next;
    if (other.next !== undefined) other.next.previous = other;
    other.previous = leaf;
    leaf.next = other;
    this.#addBeside(leaf, other);
  }

  #addBeside(node: Node, other: Node): void {
    const { parent } = node;
    if (parent === undefined) {
      const root = new Inner();
      root.add(0, node);
      root.add(1, other);
      this.#root = root;
      return;
    }
    const at = parent.indexOf(node);
    parent.counts[at] = node.total;
    parent.add(at + 1, other);
    if (parent.size === fanout) this.#addBeside(parent, parent.halve());
  }

  /** Takes an empty node out; the last leaf stays, empty. */
  #drop(leaf: Leaf): void {
    if (leaf.parent === undefined) return;
    if (leaf.previous !== undefined) leaf.previous.next = leaf.next;
    if (leaf.next !== undefined) leaf.next.previous = leaf.previous;
    this.#leaves[leaf.id] = undefined;
    this.#free.push(leaf.id);
    this.#bytes -= leaf.capacity * bytesOfStanding;
    let node: Node = leaf;
    for (let parent: Inner | undefined = node.parent; parent !== undefined; parent = node.parent) {
      parent.takeOut(parent.indexOf(node));
      if (parent.size > 0) break;
      node = parent;
    }
    // A root with one child is that child.
    while (this.#root instanceof Inner && this.#root.size === 1) {
      this.#root = this.#root.children[0] as Node;
      this.#root.parent = undefined;
    }
  }
}

type Node = Leaf | Inner;

class Leaf {
  readonly id: number;
  values: Float64Array;
  reached: Float64Array;
  players: Uint32Array;
  size = 0;
  parent: Inner | undefined;
  previous: Leaf | undefined;
  next: Leaf | undefined;

  constructor(id: number, capacity: number) {
    this.id = id;
    this.values = new Float64Array(capacity);
    this.reached = new Float64Array(capacity);
    this.players = new Uint32Array(capacity);
  }

  get capacity(): number {
    return this.players.length;
  }

  get total(): number {
    return this.size;
  }

  get first(): Leaf {
    return this;
  }

  at(position: number): Placed {
    return {
      player: this.players[position] ?? 0,
      value: this.values[position] ?? 0,
      reached: this.reached[position] ?? 0,
    };
  }

  indexOf(player: number): number {
    return this.players.indexOf(player);
  }

  insert(position: number, value: number, reached: number, player: number, onGrown: (bytes: number) => void): void {
    if (this.size === this.capacity) {
      const before = this.capacity;
      const capacity = Math.min(before * 2, leafCapacity);
      this.values = grown(this.values, new Float64Array(capacity));
      this.reached = grown(this.reached, new Float64Array(capacity));
      this.players = grown(this.players, new Uint32Array(capacity));
      onGrown((capacity - before) * bytesOfStanding);
    }
    for (const [array, one] of [
      [this.values, value],
      [this.reached, reached],
      [this.players, player],
    ] as const) {
      array.copyWithin(position + 1, position, this.size);
      array[position] = one;
    }
    this.size++;
  }

  takeOut(position: number): void {
    for (const array of [this.values, this.reached, this.players]) array.copyWithin(position, position + 1, this.size);
    this.size--;
    // What is not there any more is not found either.
    this.players[this.size] = 0;
  }

  /** Moves all from a position on to an empty leaf. */
  moveRest(from: number, to: Leaf): void {
    to.values.set(this.values.subarray(from, this.size));
    to.reached.set(this.reached.subarray(from, this.size));
    to.players.set(this.players.subarray(from, this.size));
    to.size = this.size - from;
    this.players.fill(0, from);
    this.size = from;
  }
}

function grown<Values extends Float64Array | Uint32Array>(before: Values, after: Values): Values {
  after.set(before);
  return after;
}

class Inner {
  readonly children: Node[] = [];
  /** How many standings are beneath each child. */
  readonly counts = new Uint32Array(fanout);
  parent: Inner | undefined;

  get size(): number {
    return this.children.length;
  }

  get total(): number {
    let sum = 0;
    for (let child = 0; child < this.size; child++) sum += this.counts[child] ?? 0;
    return sum;
  }

  /** The leaf with the first standing beneath it. */
  get first(): Leaf {
    return this.children[0]?.first as Leaf;
  }

  indexOf(child: Node): number {
    return this.children.indexOf(child);
  }

  add(at: number, child: Node): void {
    this.counts.copyWithin(at + 1, at, this.size);
    this.children.splice(at, 0, child);
    this.counts[at] = child.total;
    child.parent = this;
  }

  takeOut(at: number): void {
    this.counts.copyWithin(at, at + 1, this.size);
    this.children.splice(at, 1);
  }

  /** Hands its second half to a new node. @returns that node */
  halve(): Inner {
    const other = new Inner();
    const half = this.size / 2;
    for (const child of this.children.splice(half)) other.add(other.size, child);
    return other;
  }
}

/** Counts one more, or one less, in all that a leaf is beneath. */
function count(leaf: Leaf, by: number): void {
  let node: Node = leaf;
  for (let parent: Inner | undefined = node.parent; parent !== undefined; parent = node.parent) {
    const at = parent.indexOf(node);
    parent.counts[at] = (parent.counts[at] ?? 0) + by;
    node = parent;
  }
}

/** How many standings stand before a leaf. */
function before(leaf: Leaf): number {
  let [sum, node]: [number, Node] = [0, leaf];
  for (let parent: Inner | undefined = node.parent; parent !== undefined; parent = node.parent) {
    const at = parent.indexOf(node);
    for (let child = 0; child < at; child++) sum += parent.counts[child] ?? 0;
    node = parent;
  }
  return sum;
}
