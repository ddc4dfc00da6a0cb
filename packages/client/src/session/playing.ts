import {
  kinds,
  type Change,
  type Json,
  type JsonObject,
  type Kind,
  type Records,
  type ScoreValue,
  type StoredRecord,
} from '@vekkon/core';
import type { AnyGame, Contents, GameShape, NameIn, Part, Valued } from './game-shape.js';

/** What does not start with a kind is a name, or one of a family, of the kind that the change is for. */
export function keyOf(kind: Kind, nameOrKey: string): string {
  const isKey = kinds.some((one) => nameOrKey.startsWith(`${one}/`));
  return isKey ? nameOrKey : `${kind}/${nameOrKey}`;
}

interface IfRevision {
  /** Only if that revision is stored; 0: only if there is none. */
  readonly ifRevision?: number;
}

export interface CheckpointDetails {
  /** One line for whoever chooses among them. */
  readonly summary?: string;
  /** The checkpoint that is given up for it, of the same name or of another. */
  readonly instead?: string;
}

/**
 * What a game does with a player's records: the same in a session, inside a
 * transaction, and where nothing is saved.
 *
 * @typeParam Done what each change gives back
 * @typeParam Game what the game declares; without it every name is taken
 */
export abstract class Playing<Done, Game extends GameShape = AnyGame> {
  /** The player's records by key, with everything that was done here. */
  abstract get records(): Records;

  protected abstract read(key: string): StoredRecord | undefined;
  protected abstract do(change: Change): Done;
  /** What a change that changes nothing gives back. */
  protected abstract nothingDone(): Done;

  /** What a record holds: `value('flight')`, `value('preference/invert-pitch')`. What names no kind is of progress. */
  value<Key extends NameIn<Valued<Game>>>(key: Key): Valued<Game>[Key] | undefined;
  value(key: string): Json | undefined;
  value(key: string): Json | undefined {
    return this.read(keyOf('progress', key))?.value;
  }

  /** What a progress record holds: `progress('flight').chapter`, `progress('glider/heron')`. */
  progress<Name extends NameIn<Game['progress']>>(name: Name): Game['progress'][Name] {
    return this.read(keyOf('progress', name))?.value as Game['progress'][Name];
  }

  /** What the player prefers: `preference('invert-pitch')`. */
  preference<Name extends NameIn<Game['preferences']>>(name: Name): Game['preferences'][Name] {
    return this.read(keyOf('preference', name))?.value as Game['preferences'][Name];
  }

  /** The balance of a currency. */
  balance(currency: Game['currencies']): number {
    return Number(this.read(keyOf('currency', currency))?.value ?? 0);
  }

  /** What an inventory holds: `inventory('pack').stacks['silk-patch']`. */
  inventory(name: Game['inventories']): Contents<Game> {
    const none = { stacks: {}, pieces: {} };
    return (this.read(keyOf('inventory', name))?.value ?? none) as unknown as Contents<Game>;
  }

  /** The player's results on a board. `best` is null where there is none yet, which is not 0. */
  score(board: Game['boards']): ScoreValue {
    const none = { latest: null, best: null, sum: 0, count: 0, bestAt: null, latestAt: null };
    return (this.read(keyOf('score', board))?.value ?? none) as ScoreValue;
  }

  /** Is what is stored of another shape than the manifest allows? It reads as its starting value then. */
  isMisfit(key: string): boolean {
    return this.read(keyOf('progress', key))?.misfit === true;
  }

  /** Adds to a currency; `reason` stands in the ledger. */
  credit(currency: Game['currencies'], amount: number, reason: string): Done {
    return this.do({ op: 'credit', key: keyOf('currency', currency), amount, reason });
  }

  /** Takes from a currency; refused if it would fall below its floor. */
  debit(currency: Game['currencies'], amount: number, reason: string): Done {
    return this.do({ op: 'debit', key: keyOf('currency', currency), amount, reason });
  }

  /** Brings a currency to a balance, by the credit or the debit that leads there from what is here now. */
  set(currency: Game['currencies'], balance: number, reason = 'set'): Done {
    const amount = balance - this.balance(currency);
    if (amount === 0) return this.nothingDone();
    return amount > 0 ? this.credit(currency, amount, reason) : this.debit(currency, -amount, reason);
  }

  /** Replaces a value. With `ifRevision` only if that revision is stored. */
  put<Key extends NameIn<Valued<Game>>>(key: Key, value: Valued<Game>[Key], { ifRevision }: IfRevision = {}): Done {
    return this.do({
      op: 'put',
      key: keyOf('progress', key),
      value: value as Json,
      ...(ifRevision !== undefined && { ifRevision }),
    });
  }

  /** Applies a JSON Merge Patch (RFC 7396): what it names is replaced, `null` takes a member away. */
  merge<Name extends NameIn<Game['progress']>>(
    name: Name,
    value: Part<Game['progress'][Name]>,
    { ifRevision }: IfRevision = {},
  ): Done {
    return this.do({
      op: 'merge',
      key: keyOf('progress', name),
      value: value as Json,
      ...(ifRevision !== undefined && { ifRevision }),
    });
  }

  /** Takes a record away, to the trash. One that is not of a family falls back to its starting value. */
  remove(key: NameIn<Valued<Game>>, { ifRevision }: IfRevision = {}): Done {
    return this.do({ op: 'remove', key: keyOf('progress', key), ...(ifRevision !== undefined && { ifRevision }) });
  }

  /** Adds to the number at a JSON Pointer (RFC 6901); the whole value is the number if there is none. */
  increase(name: NameIn<Game['progress']>, by: number, path = ''): Done {
    return this.do({ op: 'increase', key: keyOf('progress', name), path, by });
  }

  /** Keeps the better of the two numbers; one that was never set loses to any. */
  outdo(
    name: NameIn<Game['progress']>,
    value: number,
    { path = '', better }: { readonly path?: string; readonly better: 'higher' | 'lower' },
  ): Done {
    return this.do({ op: 'outdo', key: keyOf('progress', name), path, value, better });
  }

  /**
   * Appends to the list at a JSON Pointer, unless it is there already. Where
   * the manifest's list holds `{ value, at }`, the time is added by itself.
   */
  collect(name: NameIn<Game['progress']>, value: Json, path = ''): Done {
    return this.do({ op: 'collect', key: keyOf('progress', name), path, value });
  }

  /** Takes a value out of the list at a JSON Pointer. */
  discard(name: NameIn<Game['progress']>, value: Json, path = ''): Done {
    return this.do({ op: 'discard', key: keyOf('progress', name), path, value });
  }

  /** Puts so many of an item into an inventory; refused where there is no room. */
  gain(inventory: Game['inventories'], item: Game['stacks'], count = 1): Done {
    return this.do({ op: 'gain', key: keyOf('inventory', inventory), item, count });
  }

  /** Puts a unique piece into an inventory, under an id of its own; traits that are left out start as declared. */
  gainPiece<Item extends NameIn<Game['pieces']>>(
    inventory: Game['inventories'],
    item: Item,
    piece: string,
    traits: Partial<Game['pieces'][Item]> = {},
  ): Done {
    const key = keyOf('inventory', inventory);
    return this.do({ op: 'gain', key, item, piece, traits: traits as unknown as JsonObject });
  }

  /** Takes so many of an item out of an inventory; refused where there are too few. */
  lose(inventory: Game['inventories'], item: Game['stacks'], count = 1): Done {
    return this.do({ op: 'lose', key: keyOf('inventory', inventory), item, count });
  }

  /** Takes a unique piece out of an inventory. */
  losePiece(inventory: Game['inventories'], item: NameIn<Game['pieces']>, piece: string): Done {
    return this.do({ op: 'lose', key: keyOf('inventory', inventory), item, piece });
  }

  /** Changes traits of a piece, by a JSON Merge Patch (RFC 7396). */
  alter(inventory: Game['inventories'], piece: string, traits: Part<Game['pieces'][NameIn<Game['pieces']>]>): Done {
    return this.do({ op: 'alter', key: keyOf('inventory', inventory), piece, traits: traits as unknown as JsonObject });
  }

  /** A result for a board. */
  submit(board: Game['boards'], value: number, details: { readonly name?: string; readonly note?: string } = {}): Done {
    return this.do({ op: 'submit', key: keyOf('score', board), value, ...details });
  }

  /** "Save here": a named copy of what the manifest puts under checkpoints. */
  checkpoint(name: string, details: CheckpointDetails = {}): Done {
    return this.do({ op: 'checkpoint', name, ...details });
  }

  /** "Load": brings back what a checkpoint holds. */
  restore(name: string): Done {
    return this.do({ op: 'restore', name });
  }

  /** Begins a new run: all that lasts for a run goes back to its starting value, and what was there to the trash. */
  startOver(): Done {
    return this.do({ op: 'start-over' });
  }

  /** Puts one record, all of a family (`progress/glider`) or all of a kind (`preference`) back to starting values. */
  reset(key: string): Done {
    const isKind = (kinds as readonly string[]).includes(key);
    return this.do({ op: 'reset', key: isKind ? key : keyOf('progress', key) });
  }

  /** Does with the records what a change says. */
  make(change: Change): Done {
    return this.do(change);
  }
}
