import { expect } from 'chai';
import { joinRequest, openApiDocument, problemCatalogue, routes, saveRequest, type Route } from '@vekkon/protocol';

const climb = { op: 'increase', key: 'progress/climbs', by: 1 };

describe('the shapes of requests', () => {
  it('ask for a host in a join, and for nothing else', () => {
    expect(joinRequest.safeParse({ host: 'ridge-eu-1' }).success).to.equal(true);
    for (const wrong of [{}, { host: '' }, { host: 'a/b' }, { host: 'a', wait: 21 }, { host: 'a', hots: 'b' }]) {
      expect(joinRequest.safeParse(wrong).success, JSON.stringify(wrong)).to.equal(false);
    }
  });

  it('fill in what may be left out of a change', () => {
    const parsed = saveRequest.parse({ number: 1, transactions: [{ changes: [climb] }] });
    expect(parsed.transactions[0]?.changes[0]).to.deep.equal({ ...climb, path: '' });
  });

  const wrongChanges: readonly object[] = [
    { ...climb, by: Number.NaN },
    { ...climb, by: Infinity },
    { ...climb, by: '1' },
    { op: 'credit', key: 'currency/feather', amount: 0, reason: 'x' },
    { op: 'credit', key: 'currency/feather', amount: 2 ** 53, reason: 'x' },
    { op: 'credit', key: 'currency/feather', amount: 1 },
    { op: 'put', key: 'progress/climbs' },
    { op: 'put', key: '', value: 1 },
    { op: 'outdo', key: 'progress/climbs', path: '', value: 1, better: 'more' },
  ];
  for (const change of wrongChanges) {
    it(`refuse ${JSON.stringify(change)}`, () => {
      expect(saveRequest.safeParse({ number: 1, transactions: [{ changes: [change] }] }).success).to.equal(false);
    });
  }

  it('bound a save', () => {
    const transactions = (count: number, changes: number) =>
      Array.from({ length: count }, () => ({ changes: Array.from({ length: changes }, () => climb) }));
    expect(saveRequest.safeParse({ number: 1, transactions: transactions(200, 5) }).success).to.equal(true);
    expect(saveRequest.safeParse({ number: 1, transactions: transactions(201, 1) }).success).to.equal(false);
    expect(saveRequest.safeParse({ number: 1, transactions: transactions(10, 101) }).success).to.equal(false);
    expect(saveRequest.safeParse({ number: 0 }).success).to.equal(false);
  });
});

describe('the description of the wire', () => {
  it('holds every route, with its problems from the catalogue', () => {
    const { paths } = openApiDocument('0') as { paths: Record<string, Record<string, object>> };
    for (const [name, route] of Object.entries<Route>(routes)) {
      expect(paths[route.path]?.[route.method], name).to.have.property('operationId', name);
      for (const code of route.problems) expect(problemCatalogue).to.have.property(code);
    }
  });

  it('gives each problem a status, a title and what to do', () => {
    for (const [code, { status, title, advice }] of Object.entries(problemCatalogue)) {
      expect(status, code).to.be.within(400, 599);
      expect(title, code).to.match(/^[A-Z]/);
      expect(advice, code).to.match(/[.?]$/);
    }
  });
});
