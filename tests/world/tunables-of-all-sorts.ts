/** Highfell Gliders with little but tunables. */
export const tunablesOfAllSorts = `manifest: 1
game: highfell-gliders
progress:
  flight:
    player: write
    schema:
      type: object
      additionalProperties: false
      properties:
        chapter: { type: integer, minimum: 1, maximum: 40, default: 1 }
        metres: { type: number, default: 0 }
currencies: { feather: { starting: 40, player: write } }
boards: { gorge-run: { better: lower, counts: best, unit: milliseconds } }
attributes:
  chapter: { from: progress/flight, path: /chapter }
  squad: { type: string }
tunables:
  thermal-strength: { about: How strongly warm air lifts., schema: { type: number, minimum: 0.1, maximum: 5, default: 1 } }
  storm-warning: false
  camp-note: ""
  trade-table:
    schema:
      type: array
      maxItems: 100
      default: [{ item: flare, price: 12 }]
      items:
        type: object
        additionalProperties: false
        required: [item, price]
        properties: { item: { type: string }, price: { type: integer, minimum: 0 } }
`;
