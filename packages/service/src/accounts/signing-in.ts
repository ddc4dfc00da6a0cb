import { isForPlayers } from '@vekkon/core';
import { hasMoreThanStarting, type Choice } from '@vekkon/core/accounts';
import { Refusal, type AccountSignInResponse } from '@vekkon/protocol';
import { recordsByKey, type AccountRow, type EnvironmentRow, type ListedPlayer } from '@vekkon/store';
import { deviceOf, type Principal } from '../access.js';
import type { Desk } from '../serve-route.js';
import { hashToken, newId, newToken } from '../tokens.js';
import { playerSummary } from '../known-player.js';

export interface SigningIn {
  /** What the device is called. */
  readonly name: string | undefined;
  /** Whose records are kept, where both have some. */
  readonly choose: Choice | undefined;
  readonly address: string;
  /** What an identity provider has said, where no password was shown. */
  readonly identity?: { readonly issuer: string; readonly subject: string; readonly identityTry: string };
}

/** Signs a device in to an account whose password or identity was shown, or asks whose records are kept. */
export async function signedInAs(
  desk: Desk,
  place: EnvironmentRow,
  principal: Principal,
  account: AccountRow,
  { name, choose, address, identity }: SigningIn,
): Promise<AccountSignInResponse> {
  const { writer, accounts } = desk;
  const { device: from, player } = deviceOf(principal);
  const into = await playerOf(desk, place, account);
  const met = await metBefore(desk, place, player, into);
  if (met !== undefined && choose === undefined) {
    return {
      signedIn: null,
      choose: { account: await heldBy(desk, place, into), device: await heldBy(desk, place, met) },
    };
  }
  if (met !== undefined && choose !== undefined) {
    await writer.do('joinAccount', { environment: place.number, from: met.id, into: into.id, choice: choose });
  }
  const device = newId('dev');
  const { refreshToken, signIn } = accounts.begin(address);
  const signedIn = await writer.do('signInAccount', {
    ...{ account: account.number, device, name: name ?? null, signIn, from, identity },
    nobodysSecret: hashToken(newToken('deviceToken')),
  });
  const whose = { signIn: signIn.id, player: signedIn.player, device };
  return { signedIn: await accounts.tokens(place, whose, refreshToken), choose: null };
}

/** The account of whoever calls, and the sign-in with which they do. @throws Refusal `account-unknown` */
export async function ownAccount({ reader }: Desk, place: EnvironmentRow, principal: Principal) {
  const { player, device } = deviceOf(principal);
  const [account, signIn] = await Promise.all([
    reader.accounts.ofPlayer(place.number, player),
    reader.accounts.signInOfDevice(device),
  ]);
  if (account === undefined || signIn === undefined) throw new Refusal('account-unknown');
  return { account, signIn };
}

async function playerOf({ reader }: Desk, place: EnvironmentRow, account: AccountRow): Promise<ListedPlayer> {
  const [player] = await reader.players.numbered([account.player], {});
  if (player === undefined || player.environment !== place.number) throw new Refusal('account-unknown');
  return player;
}

/** The device's own player, where that is somebody else who has played, without an account of their own. */
async function metBefore(
  { reader }: Desk,
  place: EnvironmentRow,
  id: string,
  into: ListedPlayer,
): Promise<ListedPlayer | undefined> {
  if (id === into.id) return undefined;
  const [player, account] = await Promise.all([
    reader.players.one(place.number, id),
    reader.accounts.ofPlayer(place.number, id),
  ]);
  if (player === undefined || player.first_joined_at === null || account !== undefined) return undefined;
  const { rules } = await reader.manifests.newestOf(place);
  const stored = await reader.players.stored(player.number, rules.manifest);
  return hasMoreThanStarting(stored, rules.manifest) ? player : undefined;
}

/** What a player has, as far as players may see it. */
async function heldBy({ reader }: Desk, place: EnvironmentRow, player: ListedPlayer) {
  const { rules } = await reader.manifests.newestOf(place);
  const records = [...(await reader.players.records(player, place))].filter(([key]) =>
    isForPlayers(key, rules.manifest),
  );
  const { id, name, lastJoinedAt } = playerSummary(player);
  return { player: id, name, lastJoinedAt, records: recordsByKey(new Map(records)) };
}
