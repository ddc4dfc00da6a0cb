import type { Transaction } from '@vekkon/core';
import type { Random } from './random.js';
import type { TradeTable } from './tuned.js';

const ridges = [
  'gull-ridge',
  'heron-pass',
  'the-needles',
  'salt-col',
  'grey-shoulder',
  'lantern-peak',
  'fox-saddle',
  'long-step',
  'crow-stair',
  'milk-falls',
  'three-sisters',
  'old-anvil',
  'windgate',
  'moss-throne',
  'last-light',
  'cold-spring',
];
const gliders = ['heron', 'swift', 'old-maude', 'tern', 'kestrel'];
const notes = [
  'Warm air over the needles before noon.',
  'Patched the left wing at Salt Camp.',
  'Lost the thermal at Fox Saddle.',
  'First time across the gorge.',
];

const camps = ['salt-camp', 'high-camp', 'lantern-camp', 'fox-camp', 'windgate-camp', 'last-camp'];
const valleys = ['Gull Valley', 'Fox Valley', 'The Long Cut', 'Milkwater'];
const makers = ['Orrin & Daughters', 'Tarnley Wing Works', 'a friend'];

/** What a pilot finds: what the camps ask, and how fast the gorge is flown beside how it usually is. */
export interface Conditions {
  readonly prices: TradeTable;
  readonly gorge: number;
}

/** What a pilot does between two saves: a thermal climbed, a ridge charted, a run flown, things bought. */
export function flySome(random: Random, balance: number, { prices, gorge }: Conditions): readonly Transaction[] {
  const metres = random.between(80, 900);
  const flown: Transaction[] = [
    {
      label: 'thermal climbed',
      changes: [
        { op: 'increase', key: 'progress/climbs', path: '', by: 1 },
        { op: 'increase', key: 'progress/flight', path: '/metres', by: metres },
        { op: 'credit', key: 'currency/feather', amount: random.between(5, 40), reason: 'thermal' },
      ],
    },
  ];
  if (random.chance(0.2)) {
    flown.push({
      label: 'high above the range',
      changes: [
        { op: 'outdo', key: 'progress/logbook', path: '/highest', value: random.between(900, 4200), better: 'higher' },
        { op: 'submit', key: 'score/metres-climbed', value: metres },
      ],
    });
  }
  if (random.chance(0.2)) {
    const ridge = random.oneOf(ridges);
    flown.push({
      label: `${ridge} charted`,
      changes: [
        { op: 'collect', key: 'progress/flight', path: '/charted', value: ridge },
        { op: 'credit', key: 'currency/feather', amount: 25, reason: `charted ${ridge}` },
      ],
    });
  }
  if (random.chance(0.15)) {
    flown.push({
      label: 'gorge run',
      changes: [{ op: 'submit', key: 'score/gorge-run', value: Math.round(random.between(41_000, 190_000) * gorge) }],
    });
  }
  if (random.chance(0.2)) {
    flown.push({ changes: [{ op: 'submit', key: 'score/longest-glide', value: random.between(900, 42_000) }] });
  }
  let left = balance;
  if (random.chance(0.1) && left >= 60) {
    left -= 60;
    const glider = random.oneOf(gliders);
    flown.push({
      label: `${glider} refitted`,
      changes: [
        { op: 'debit', key: 'currency/feather', amount: 60, reason: `refit ${glider}` },
        {
          op: 'put',
          key: `progress/glider/${glider}`,
          value: {
            span: random.between(8, 18),
            cloth: random.oneOf(['paper', 'silk', 'oiled-silk']),
            wear: Math.round(random.next() * 100) / 100,
          },
        },
      ],
    });
  }
  if (random.chance(0.15)) flown.push(...atCamp(random, left, prices));
  if (random.chance(0.1)) {
    flown.push({
      label: 'through a valley',
      changes: [
        {
          op: 'submit',
          key: `score/valley/${random.oneOf(valleys)}`,
          value: random.between(3_100, 14_000) / 100,
          name: random.oneOf(['MRN', 'first try', 'tailwind', 'at dusk']),
        },
      ],
    });
  }
  if (random.chance(0.06)) {
    flown.push({
      changes: [{ op: 'put', key: 'preference/map-detail', value: random.oneOf(['plain', 'contours', 'winds']) }],
    });
  }
  if (random.chance(0.03)) {
    flown.push({
      label: 'a line in the logbook',
      changes: [{ op: 'collect', key: 'progress/logbook', path: '/notes', value: random.oneOf(notes) }],
    });
  }
  return flown;
}

/** What a pilot does when they land: one more flight, and now and then a chapter further. */
export function land(random: Random, chapter: number): readonly Transaction[] {
  const landed: Transaction[] = [
    { label: 'landed', changes: [{ op: 'increase', key: 'progress/logbook', path: '/flights', by: 1 }] },
  ];
  if (random.chance(0.35) && chapter < 40) {
    landed.push({
      label: `chapter ${chapter + 1} begun`,
      changes: [{ op: 'merge', key: 'progress/flight', value: { chapter: chapter + 1 } }],
    });
  }
  return landed;
}

/** A camp reached: noted with its time, things bought, a wing mended. */
function atCamp(random: Random, balance: number, prices: TradeTable): readonly Transaction[] {
  const done: Transaction[] = [
    {
      label: 'camp reached',
      changes: [{ op: 'collect', key: 'progress/logbook', path: '/camps', value: random.oneOf(camps) }],
    },
  ];
  const dearest = Math.max(0, ...prices.map(({ price }) => price));
  if (balance >= dearest && prices.length > 0) {
    const { item, price } = random.oneOf(prices);
    done.push({
      label: `${item} bought`,
      changes: [
        { op: 'debit', key: 'currency/feather', amount: price, reason: `bought ${item}` },
        { op: 'gain', key: 'inventory/pack', item, count: 1 },
      ],
    });
  } else if (random.chance(0.5)) {
    done.push({
      label: 'wing patched',
      changes: [{ op: 'lose', key: 'inventory/pack', item: 'silk-patch', count: 1 }],
    });
  }
  return done;
}

/** A wing that a pilot is given, which lies in the hangar; found once, however often it is tried. */
export function findWing(random: Random, pilot: string): Transaction {
  const piece = `wing-${pilot}-${random.between(1, 3)}`;
  return {
    label: 'a wing found',
    once: piece,
    changes: [
      {
        op: 'gain',
        key: 'inventory/hangar',
        item: 'wing',
        piece,
        traits: { maker: random.oneOf(makers), lift: Math.round((0.8 + random.next() * 0.6) * 100) / 100 },
      },
    ],
  };
}

/** A run given up: all that lasts for a run starts anew. */
export const startOver: Transaction = { label: 'started over', changes: [{ op: 'start-over' }] };
