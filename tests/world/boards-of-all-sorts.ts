/** Boards of every sort, with rewards. */
export const boardsOfAllSorts = `manifest: 1
game: highfell-gliders
currencies: { feather: 40, opal: { starting: 0, ceiling: 3 } }
items: { flare: { stack: 10 }, wing: { unique: true } }
inventories: { pack: { capacity: 5 } }
boards:
  gorge-run:
    better: lower
    counts: best
    unit: milliseconds
    lowest: 20000
    highest: 3600000
    season: weekly
    rewards:
      - { ranks: [1, 1], changes: [{ op: credit, key: currency/feather, amount: 500 }, { op: gain, key: inventory/pack, item: wing }] }
      - { share: 50, changes: [{ op: credit, key: currency/feather, amount: 100 }] }
  metres-climbed: { better: higher, counts: sum, unit: metres }
  longest-glide: { better: higher, counts: best, unit: metres, doubtful: { above: 90000 } }
  last-landing: { better: higher, counts: newest, player: write }
  hidden: { better: higher, counts: best, player: none }
  valley: { family: { atMost: 12 }, better: lower, counts: best, unit: seconds }
  own-best: { better: higher, counts: best, public: false }
`;
