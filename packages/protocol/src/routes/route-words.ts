import { roles } from '../roles-and-scopes.js';
import { scopeOf, type Caller, type Route } from './route.js';

/** What a route is about, for a list of all: by how its path begins, the first that fits. */
const groups: readonly (readonly [beginning: RegExp, name: string])[] = [
  [/^\/v1\/players\/\{player\}\/(join|save-now)$|^\/v1\/(sessions|saves|hosts)\b/, 'Sessions and saves'],
  [
    /^\/v1\/players\/(\{player\}\/)?changes$|^\/v1\/players\/read$|^\/v1\/players\/\{player\}\/records\//,
    'Outside sessions',
  ],
  [/^\/v1\/(me|devices)\b|^\/v1\/players\/\{player\}\/devices\b/, 'Devices'],
  [/^\/v1\/account\b/, "A player's own account"],
  [/^\/v1\/(accounts|mails|identity-providers)\b|^\/v1\/players\/\{player\}\/account\b/, 'Accounts'],
  [/^\/v1\/(boards|doubtful)\b|\/standings$/, 'Boards'],
  [/^\/v1\/tuning\b|^\/v1\/environment\/publishers$/, 'Tuning'],
  [/^\/v1\/(manifest|misfits)\b/, 'Manifest'],
  [/^\/v1\/unsettled\b/, 'Unsettled'],
  [/^\/v1\/gifts\b/, 'Gifts'],
  [/^\/v1\/(export|import)\b/, 'Many players at once'],
  [/^\/v1\/players\b/, 'Players'],
  [/^\/v1\/(activity|overview|disturbance|operator\/stream)\b/, 'Watching'],
  [/^\/v1\//, 'Access and environments'],
  [/^/, 'The service'],
];

/** What a route is about, in a word or two. */
export function groupOf({ path }: Pick<Route, 'path'>): string {
  return groups.find(([beginning]) => beginning.test(path))?.[1] ?? '';
}

/** Who may call, in a sentence: "For a host key that may write, and operators from support up." */
export function callersInWords(route: Pick<Route, 'callers' | 'method' | 'path'>): string {
  const { callers } = route;
  if (callers.includes('anybody')) return 'For anybody.';
  const scope = scopeOf(route);
  const key = (name: string) => (scope === null ? name : `${name} good for ${scope}`);
  const ways: { readonly [caller in Caller]?: string } = {
    host: key('a host key'),
    device: "a device's token",
    'device-key': key('a device key'),
  };
  const least = roles.find((role) => callers.includes(role));
  const who = callers.flatMap((caller) => ways[caller] ?? []);
  if (least !== undefined) who.push(least === 'admin' ? 'admins' : `operators from ${least} up`);
  return `For ${who.join(', ').replace(/, (?=[^,]*$)/, ' and ')}.`;
}
