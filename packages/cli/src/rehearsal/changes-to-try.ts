import {
  isJsonObject,
  isUnique,
  type Change,
  type InventoryDeclaration,
  type Json,
  type Manifest,
  type RecordDeclaration,
} from '@vekkon/core';

/** One change of each sort that a manifest has room for, on a new player. */
export function changesToTry(manifest: Manifest): readonly Change[] {
  const changes: Change[] = [];
  for (const [key, declaration] of Object.entries(manifest.records)) {
    if (declaration.family === undefined) changes.push(...changesFor(key, declaration, manifest));
    else if (declaration.kind === 'progress')
      changes.push({ op: 'put', key: `${key}/rehearsed`, value: declaration.starting });
  }
  return changes;
}

function changesFor(key: string, declaration: RecordDeclaration, manifest: Manifest): readonly Change[] {
  switch (declaration.kind) {
    case 'currency':
      return [
        { op: 'credit', key, amount: 2, reason: 'rehearsal' },
        { op: 'debit', key, amount: 1, reason: 'rehearsal' },
      ];
    case 'score':
      return [{ op: 'submit', key, value: declaration.lowest ?? 1 }];
    case 'preference':
      return [{ op: 'put', key, value: otherValue(declaration.schema, declaration.starting) }];
    case 'progress':
      return progressChanges(key, declaration.starting);
    case 'inventory':
      return inventoryChanges(key, declaration, manifest);
  }
}

function inventoryChanges(key: string, { accepts }: InventoryDeclaration, { items }: Manifest): readonly Change[] {
  const changes: Change[] = [];
  const taken = Object.entries(items).filter(([name]) => accepts?.includes(name) ?? true);
  const stack = taken.find(([, item]) => !isUnique(item))?.[0];
  if (stack !== undefined) changes.push({ op: 'gain', key, item: stack, count: 2 }, { op: 'lose', key, item: stack });
  const piece = taken.find(([, item]) => isUnique(item))?.[0];
  if (piece !== undefined) {
    changes.push(
      { op: 'gain', key, item: piece, piece: 'rehearsed' },
      { op: 'alter', key, piece: 'rehearsed', traits: {} },
      { op: 'lose', key, item: piece, piece: 'rehearsed' },
    );
  }
  return changes;
}

function progressChanges(key: string, starting: Json): readonly Change[] {
  if (typeof starting === 'number') return [{ op: 'increase', key, path: '', by: 1 }];
  if (!isJsonObject(starting)) return [{ op: 'put', key, value: starting }];
  const number = Object.entries(starting).find(([, value]) => typeof value === 'number');
  if (number === undefined) return [{ op: 'merge', key, value: {} }];
  const [name, value] = number;
  return [
    { op: 'merge', key, value: { [name]: Number(value) + 1 } },
    { op: 'outdo', key, path: `/${name}`, value: Number(value) + 2, better: 'higher' },
  ];
}

/** Another value that a preference may have. */
function otherValue(schema: unknown, starting: Json): Json {
  if (typeof starting === 'boolean') return !starting;
  const choices = isJsonObject(schema) && Array.isArray(schema['enum']) ? (schema['enum'] as Json[]) : [];
  return choices.find((one) => one !== starting) ?? starting;
}
