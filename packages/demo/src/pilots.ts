import { Random } from './random.js';

const givenNames = [
  'Maren',
  'Tobin',
  'Isolde',
  'Caspar',
  'Wren',
  'Ottilie',
  'Joss',
  'Petra',
  'Linnea',
  'Emrys',
  'Sunniva',
  'Rafe',
  'Odile',
  'Bram',
  'Thea',
  'Kasimir',
  'Nell',
  'Aurin',
  'Greta',
  'Silas',
];
const surnames = [
  'Ashgrove',
  'Fellwick',
  'Orrin',
  'Tarnley',
  'Skyburn',
  'Holt',
  'Merrow',
  'Vane',
  'Quillby',
  'Dunmore',
  'Larkhill',
  'Stonecroft',
  'Windle',
  'Hawes',
  'Brightmoor',
];

export interface Pilot {
  readonly id: string;
  readonly name: string;
}

/** Made-up pilots, always the same ones. */
export function makePilots(count: number): readonly Pilot[] {
  const random = new Random(7);
  return Array.from({ length: count }, (_, index) => ({
    id: `p-${10_400 + index}`,
    name: `${random.oneOf(givenNames)} ${random.oneOf(surnames)}`,
  }));
}
