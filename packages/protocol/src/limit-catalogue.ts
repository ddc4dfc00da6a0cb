/** What a limit is, in words, and how much is usual. */
interface Limit {
  readonly usual: number;
  readonly words: string;
}

const MiB = 1024 * 1024;

/**
 * How much one caller may ask for. A minute is any 60 seconds; 0 sets no
 * bound. Game servers and operators are not counted: their keys can be revoked.
 */
export const limitCatalogue = {
  deviceCalls: { usual: 600, words: 'Calls of one device in a minute' },
  playerCalls: { usual: 1_200, words: 'Calls of all devices of one player in a minute' },
  addressCalls: { usual: 12_000, words: 'Calls of all devices of one address in a minute' },
  newDevices: { usual: 300, words: 'New devices of one address in a minute' },
  deviceStreams: { usual: 60, words: 'Streams that one device opens in a minute' },
  addressStreams: { usual: 2_400, words: 'Streams that one address opens in a minute' },
  deviceBytes: { usual: 16 * MiB, words: 'Bytes that one device sends in a minute' },
  deviceAtOnce: { usual: 16, words: 'Calls of one device at the same time' },
  addressAtOnce: { usual: 512, words: 'Calls of one address at the same time' },
  newAccounts: { usual: 300, words: 'Accounts made from one address in an hour' },
  newAccountsOfKey: { usual: 20_000, words: 'Accounts made with one device key in an hour' },
  signInsOfAccount: { usual: 60, words: 'Sign-ins to one account in an hour' },
  signInsOfKey: { usual: 6_000, words: 'Tries to sign in with one device key in a minute' },
  mailsTo: { usual: 5, words: 'Mails to one e-mail address in an hour' },
  mailsFrom: { usual: 300, words: 'Mails asked for from one address in an hour' },
  wrongTries: {
    usual: 10,
    words: 'Wrong passwords on one account from one address, before the next try must wait',
  },
  wrongTriesOfAccount: {
    usual: 50,
    words: 'Wrong passwords on one account from anywhere, before the next try must wait',
  },
  wrongTriesOfAddress: { usual: 100, words: 'Wrong passwords from one address, before the next try must wait' },
} as const satisfies { readonly [name: string]: Limit };

export type LimitName = keyof typeof limitCatalogue;
export type LimitNumbers = { readonly [Name in LimitName]: number };

export const limitNames = Object.keys(limitCatalogue) as LimitName[];
