/** How a list of players is ordered and narrowed down. */
export interface Ordered {
  /** `joined`, `name`, `id`, `made`; `by currency/feather`; `on gorge-run`. */
  what: string;
  from: string;
  to: string;
  isAscending: boolean;
}

type PlainOrder = 'joined' | 'name' | 'id' | 'made';

/** What to ask the service for. A bound that is no number means exactly that text. */
export function askedFor({ what, from, to, isAscending }: Ordered) {
  const order = isAscending ? ('ascending' as const) : ('descending' as const);
  if (what.startsWith('on ')) {
    const place = Number(to);
    return { board: what.slice('on '.length), ...(Number.isInteger(place) && place > 0 && { place }) };
  }
  if (!what.startsWith('by ')) return { sort: what as PlainOrder, order };
  const number = (text: string) => (text.trim() === '' || Number.isNaN(Number(text)) ? undefined : Number(text));
  const text = [from, to].map((one) => one.trim()).find((one) => one !== '' && Number.isNaN(Number(one)));
  const by = what.slice('by '.length);
  return text === undefined ? { by, from: number(from), to: number(to), order } : { by, is: text, order };
}
