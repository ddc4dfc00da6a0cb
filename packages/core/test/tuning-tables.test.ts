import { expect } from 'chai';
import { columnsOf, rowDifferences, rowsFromCells } from '@vekkon/core/tuning';

describe('a table', () => {
  const schema = {
    type: 'array',
    items: {
      type: 'object',
      required: ['item', 'price'],
      properties: {
        item: { type: 'string' },
        price: { type: 'integer' },
        lift: { type: 'number' },
        isRare: { type: 'boolean' },
        cloth: { enum: ['paper', 'silk'] },
      },
    },
  };
  const columns = columnsOf(schema) ?? [];

  it('has the columns of its schema, and none where it holds more than plain values', () => {
    expect(columns.map(({ name, type }) => [name, type])).to.deep.equal([
      ['item', 'string'],
      ['price', 'integer'],
      ['lift', 'number'],
      ['isRare', 'boolean'],
      ['cloth', 'string'],
    ]);
    expect(columnsOf({ type: 'array', items: { type: 'object', properties: { deep: { type: 'array' } } } })).to.equal(
      undefined,
    );
    expect(columnsOf({ type: 'number' })).to.equal(undefined);
  });

  it('is read from cells by the types of its columns, in any order', () => {
    const read = rowsFromCells(
      ['price', 'item', 'isRare', 'lift'],
      [
        ['12', 'flare', 'TRUE', '1.5'],
        [' 7 ', '', '', ''],
      ],
      columns,
    );
    expect(read).to.deep.equal({
      rows: [
        { price: 12, item: 'flare', isRare: true, lift: 1.5 },
        { price: 7, item: '' },
      ],
      mistakes: [],
    });
  });

  it('says every cell that does not fit, a missing column, and one that is none', () => {
    const cells = rowsFromCells(
      ['item', 'price', 'isRare'],
      [
        ['flare', '1.5', 'yes'],
        ['wing', 'dear', 'false'],
      ],
      columns,
    );
    expect(cells.mistakes.map(({ row, column }) => [row, column])).to.deep.equal([
      [1, 'price'],
      [1, 'isRare'],
      [2, 'price'],
    ]);
    const heading = rowsFromCells(['item', 'prise'], [], columns);
    expect(heading.mistakes.map(({ detail }) => detail)).to.deep.equal([
      'The column "price" is missing: the heading has item, prise.',
      '"prise" is no column: did you mean "price"?',
    ]);
  });

  it('differs row by row, and rows are known by what tells them apart', () => {
    const before = [
      { item: 'flare', price: 12 },
      { item: 'wing', price: 90 },
      { item: 'rope', price: 4 },
    ];
    const after = [
      { item: 'rope', price: 4 },
      { item: 'flare', price: 15 },
      { item: 'lamp', price: 8 },
    ];
    expect(rowDifferences(before, after)).to.deep.equal([
      'flare: price 12 → 15',
      'new: item "lamp", price 8',
      'gone: item "wing", price 90',
    ]);
    expect(rowDifferences(before, before.toReversed())).to.deep.equal(['the same rows in another order']);
    expect(rowDifferences([{ a: 1 }, { a: 1 }], [{ a: 1 }, { a: 2 }])).to.deep.equal(['row 2: a 1 → 2']);
    const [price, item] = [
      { price: 3, item: 'rope' },
      { item: 'rope', price: 4 },
    ];
    expect(rowDifferences([price], [item])).to.deep.equal(['rope: price 3 → 4']);
    expect(rowDifferences(1, 2)).to.deep.equal(['1 → 2']);
  });
});
