/** The path of a board: a member of a family stands in it as `valley/Gull%20Valley`. */
export function boardPath(
  board: string,
  rest = '',
  query: { readonly [name: string]: string | number | undefined } = {},
): string {
  const key = board.split('/').map(encodeURIComponent).join('/');
  const parameters = new URLSearchParams();
  for (const [name, value] of Object.entries(query)) if (value !== undefined) parameters.set(name, String(value));
  return `/v1/boards/${key}${rest}${parameters.size === 0 ? '' : `?${parameters}`}`;
}
