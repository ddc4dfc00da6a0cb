import Table from 'cli-table3';

const plain = {
  top: '',
  'top-mid': '',
  'top-left': '',
  'top-right': '',
  bottom: '',
  'bottom-mid': '',
  'bottom-left': '',
  'bottom-right': '',
  left: '',
  'left-mid': '',
  right: '',
  'right-mid': '',
  mid: '',
  'mid-mid': '',
  middle: '  ',
};

/** Rows under headings, as wide as they need to be. */
export function table(headings: readonly string[], rows: readonly (readonly string[])[]): string {
  const made = new Table({
    head: headings.map((heading) => bold(heading)),
    chars: plain,
    style: { 'padding-left': 0, 'padding-right': 0, head: [], border: [] },
  });
  for (const row of rows) made.push([...row]);
  return made.toString().replaceAll(/ +$/gm, '');
}

const isColoured = process.stdout.isTTY && process.env['NO_COLOR'] === undefined;

export function bold(text: string): string {
  return isColoured ? `\u001b[1m${text}\u001b[22m` : text;
}

export function faint(text: string): string {
  return isColoured ? `\u001b[2m${text}\u001b[22m` : text;
}
