import type { AccountTokens, DeviceResponse } from '@vekkon/protocol';
import type { DeviceTokens } from './device-transport.js';
import { newIdentity, readIdentity, readSlot, type Identity, type KeptAccount, type Slot } from './kept-state.js';
import { randomId } from './random-id.js';
import type { PlayerStorage } from './storage.js';

const nothingKnown = { known: undefined, checkpoints: undefined, tuning: undefined } as const;

/** What a device keeps, and whether it can. */
export class Kept implements DeviceTokens {
  /** Why the last of it could not be kept; undefined if it was. */
  trouble: Error | undefined;
  readonly #storage: PlayerStorage;
  readonly #slotName: string;
  readonly #onTrouble: () => void;
  readonly #going = new Set<string>();
  #identity: Identity;

  private constructor(storage: PlayerStorage, slotName: string, onTrouble: () => void) {
    this.#storage = storage;
    this.#slotName = slotName;
    this.#onTrouble = onTrouble;
    this.#identity = readIdentity(storage) ?? newIdentity();
  }

  /**
   * Opens a storage.
   *
   * @param onTrouble called when something could not be kept, or could again
   * @throws StorageUnreadable
   */
  static async open(storage: PlayerStorage, onTrouble: () => void): Promise<Kept> {
    const kept = new Kept(storage, await storage.open(), onTrouble);
    kept.setIdentity({});
    return kept;
  }

  /** What tabs left that are gone, by the names of their slots. */
  async abandoned(): Promise<ReadonlyMap<string, Slot>> {
    const names = await this.#storage.abandoned();
    return new Map(names.map((name) => [name, readSlot(this.#storage, name)]));
  }

  /** What tabs left is to stand in this slot from now on: theirs go when it does, or when nothing of it is left to save. */
  removeSlots(names: Iterable<string>): void {
    for (const name of names) this.#going.add(name);
  }

  get identity(): Identity {
    return this.#identity;
  }

  /** The name of this tab's or process's slot: the host under which the player joins. */
  get slotName(): string {
    return this.#slotName;
  }

  get secret(): string {
    return this.#identity.secret;
  }

  token(): string | undefined {
    return this.#identity.token;
  }

  tokenKeptNow(): string | undefined {
    try {
      return readIdentity(this.#storage)?.token;
    } catch {
      return undefined;
    }
  }

  account(): KeptAccount | undefined {
    return this.#identity.account;
  }

  take({ token, player: id }: DeviceResponse): void {
    const { player } = this.#identity;
    this.setIdentity({ token, player: player?.id === id ? player : { id, name: null } });
  }

  /** This device is signed in: whoever it was before, its own secret is another from now on. */
  takeAccount({ player: id, accessToken: token, refreshToken, now, expiresAt }: AccountTokens, email?: string): void {
    const { player, account, secret } = this.#identity;
    const isOther = player?.id !== id;
    const until = Date.now() + Date.parse(expiresAt) - Date.parse(now);
    this.setIdentity({
      token,
      account: { email: email ?? account?.email ?? '', refreshToken, until },
      attempt: undefined,
      // Of the same player the service takes the old one no more; another's stays who the device is without an account.
      secret: isOther || account !== undefined ? secret : randomId(32),
      ...(isOther && { player: { id, name: null }, ...nothingKnown }),
    });
  }

  /** Signed out: the device is who it is by its own secret. */
  dropAccount(): void {
    this.setIdentity({ token: undefined, account: undefined, player: undefined, ...nothingKnown });
  }

  setIdentity(change: Partial<Identity>): void {
    this.#identity = { ...this.#identity, ...change };
    this.#write('player', this.#identity);
  }

  setSlot(slot: Slot): void {
    this.#write(this.#slotName, slot);
    const isNothingLeft = slot.waiting.length + slot.saves.length + slot.leftover.length === 0;
    if (this.trouble !== undefined && !isNothingLeft) return;
    for (const name of this.#going) this.#storage.remove(name);
    this.#going.clear();
  }

  readSlot(): Slot {
    return readSlot(this.#storage, this.#slotName);
  }

  /** What other tabs have kept meanwhile. Where nothing can be kept, the device stays who it is. */
  readAgain(): void {
    this.#identity = { ...this.#identity, ...readIdentity(this.#storage) };
  }

  /** Resolves when everything is kept that could be. */
  flushed(): Promise<void> {
    return this.#storage.flushed().then(
      () => undefined,
      (error: unknown) => this.#note(error),
    );
  }

  #write(name: string, content: object): void {
    try {
      this.#storage.write(name, JSON.stringify(content));
      this.#note(undefined);
    } catch (error) {
      this.#note(error);
    }
  }

  #note(error: unknown): void {
    const before = this.trouble;
    this.trouble = error === undefined || error instanceof Error ? error : new Error(String(error));
    if ((before === undefined) !== (this.trouble === undefined)) this.#onTrouble();
  }
}
