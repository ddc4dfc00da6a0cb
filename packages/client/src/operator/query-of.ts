/** The query of a path: what is undefined or empty is left out. */
export function queryOf(query: { readonly [name: string]: string | number | undefined }): string {
  const parameters = new URLSearchParams();
  for (const [name, value] of Object.entries(query)) {
    if (value !== undefined && value !== '') parameters.set(name, String(value));
  }
  return parameters.size === 0 ? '' : `?${parameters}`;
}
