import type { Transaction } from '@vekkon/core';
import type { Random } from './random.js';

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

/** What a pilot does between two saves: a thermal climbed, a ridge charted, a run flown, things bought. */
export function flySome(random: Random, balance: number): readonly Transaction[] {
  const metres = random.between(80, 900);
  const flown: Transaction[] = [
    {
      label: 'thermal climbed',
      changes: [
        { op: 'increase', key: 'progress/climbs', path: '', by: 1 },
        { op: 'increase', key: 'progress/flight', path: '/metres', by: metres },
        { op: 'outdo', key: 'progress/logbook', path: '/highest', value: random.between(900, 4200), better: 'higher' },
        { op: 'credit', key: 'currency/feather', amount: random.between(5, 40), reason: 'thermal' },
        { op: 'submit', key: 'score/metres-climbed', value: metres },
      ],
    },
  ];
  if (random.chance(0.4)) {
    const ridge = random.oneOf(ridges);
    flown.push({
      label: `${ridge} charted`,
      changes: [
        { op: 'collect', key: 'progress/flight', path: '/charted', value: ridge },
        { op: 'credit', key: 'currency/feather', amount: 25, reason: `charted ${ridge}` },
      ],
    });
  }
  if (random.chance(0.25)) {
    flown.push({
      label: 'gorge run',
      changes: [{ op: 'submit', key: 'score/gorge-run', value: random.between(41_000, 190_000) }],
    });
  }
  if (random.chance(0.2)) {
    flown.push({ changes: [{ op: 'submit', key: 'score/longest-glide', value: random.between(900, 42_000) }] });
  }
  if (random.chance(0.25) && balance >= 60) {
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
