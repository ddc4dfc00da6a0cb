/** Bounds that hold for every game. Sizes in bytes of UTF-8. */
export const limits = {
  recordBytes: 256 * 1024,
  playerBytes: 4 * 1024 * 1024,
  jsonDepth: 32,
  transactionsPerSave: 200,
  changesPerSave: 1_000,
  /** What one transaction may take: with its number and its session it fits into a request. */
  transactionBytes: 1000 * 1024,
  savesPerBulk: 500,
  /** How far a session's saves may be ahead of the last answer that its sender says it has. */
  savesAhead: 200,
  bodyBytes: 1024 * 1024,
  idCharacters: 128,
  /** The most places that an inventory can have, and the most pieces and items that one can hold. */
  inventoryPlaces: 10_000,
} as const;

/** Bounds that only the service keeps. Sizes in bytes of UTF-8. */
export const serviceLimits = {
  /** Of how many numbers the outcomes are kept for a sender that never says which answers it has. */
  outcomesOfSilentSenders: 20,
  /** How much of older outcomes one session keeps, beside its newest. */
  outcomeBytesPerSession: 8 * 1024 * 1024,
  /** How many unlike transactions of one player may wait for a person, and how many bytes of them. */
  unsettledPerPlayer: 100,
  unsettledBytesPerPlayer: 256 * 1024,
  /** What the own devices of one player may make the service keep within an hour. */
  bytesByPlayerAnHour: 32 * 1024 * 1024,
  playersPerRead: 200,
  bulkBodyBytes: 8 * 1024 * 1024,
  manifestBytes: 1024 * 1024,
  /** How many checks one value may cost: what a schema may ask for is bounded when the manifest is checked. */
  schemaCost: 5_000_000,
  waitSeconds: 20,
} as const;
