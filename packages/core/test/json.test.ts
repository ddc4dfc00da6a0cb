import { expect } from 'chai';
import {
  isDeclaredName,
  isId,
  mergePatch,
  nearestName,
  pointerTokens,
  valueAt,
  withValueAt,
  type Json,
} from '@vekkon/core';

describe('JSON Pointer (RFC 6901)', () => {
  const document: Json = { foo: ['bar', 'baz'], '': 0, 'a/b': 1, 'm~n': 8 };
  const examples: readonly [string, Json][] = [
    ['/foo', ['bar', 'baz']],
    ['/foo/0', 'bar'],
    ['/', 0],
    ['/a~1b', 1],
    ['/m~0n', 8],
  ];
  for (const [pointer, value] of examples) {
    it(`${pointer} finds ${JSON.stringify(value)}`, () => {
      expect(valueAt(document, pointerTokens(pointer)!)).to.deep.equal(value);
    });
  }

  it('is not what starts without a slash or escapes wrongly', () => {
    expect(pointerTokens('foo')).to.equal(undefined);
    expect(pointerTokens('/~2')).to.equal(undefined);
  });

  it('does not find what only a prototype has', () => {
    expect(valueAt(document, ['toString'])).to.equal(undefined);
    expect(valueAt(document, ['foo', 'length'])).to.equal(undefined);
  });

  it('writes a copy and leaves the value alone', () => {
    expect(withValueAt(document, ['foo', '1'], 'new')).to.have.deep.property('foo', ['bar', 'new']);
    expect(withValueAt(document, ['foo', '2'], 'new')).to.equal(undefined);
    expect(withValueAt(document, ['none', 'at', 'all'], 1)).to.equal(undefined);
    expect(document.foo).to.deep.equal(['bar', 'baz']);
  });
});

describe('JSON Merge Patch (RFC 7396)', () => {
  // The examples of the standard's appendix.
  const examples: readonly [Json, Json, Json][] = [
    [{ a: 'b' }, { a: 'c' }, { a: 'c' }],
    [{ a: 'b' }, { b: 'c' }, { a: 'b', b: 'c' }],
    [{ a: 'b' }, { a: null }, {}],
    [{ a: ['b'] }, { a: 'c' }, { a: 'c' }],
    [{ a: { b: 'c' } }, { a: { b: 'd', c: null } }, { a: { b: 'd' } }],
    [{ a: [{ b: 'c' }] }, { a: [1] }, { a: [1] }],
    [
      ['a', 'b'],
      ['c', 'd'],
      ['c', 'd'],
    ],
    [{ e: null }, { a: 1 }, { e: null, a: 1 }],
    [[1, 2], { a: 'b', c: null }, { a: 'b' }],
    [{}, { a: { bb: { ccc: null } } }, { a: { bb: {} } }],
  ];
  for (const [target, patch, result] of examples) {
    it(`${JSON.stringify(target)} with ${JSON.stringify(patch)}`, () => {
      expect(mergePatch(target, patch)).to.deep.equal(result);
    });
  }
});

describe('names', () => {
  it('of players may be of any script, in NFC, without control characters or slashes', () => {
    for (const id of ['p-10442', 'マレン', 'a'.repeat(128), 'Ünal']) expect(isId(id), id).to.equal(true);
    for (const id of [
      '',
      '.',
      '..',
      'a/b',
      'a\u0000',
      'a\u0085',
      'a'.repeat(129),
      'U\u0308nal',
      '\ud800',
      '__proto__',
    ]) {
      expect(isId(id), JSON.stringify(id)).to.equal(false);
    }
  });

  it('that are declared are small letters, digits and dashes', () => {
    expect(isDeclaredName('gorge-run-2')).to.equal(true);
    for (const name of ['Gorge', '2nd', '-a', 'a_b', 'constructor', 'a'.repeat(64)])
      expect(isDeclaredName(name)).to.equal(false);
  });

  it('that are near are found, others are not', () => {
    expect(nearestName('fether', ['opal', 'feather'])).to.equal('feather');
    expect(nearestName('zeppelin', ['opal', 'feather'])).to.equal(undefined);
  });
});
