/** Random bytes as base64url (RFC 4648). Pages on plain HTTP have no `crypto.randomUUID`. */
export function randomId(bytes = 12): string {
  const random = crypto.getRandomValues(new Uint8Array(bytes));
  const base64 = btoa(String.fromCharCode(...random));
  return base64.replaceAll('+', '-').replaceAll('/', '_').replaceAll('=', '');
}
