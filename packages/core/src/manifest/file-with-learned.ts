import { parseDocument, type Scalar } from 'yaml';
import { isJsonObject, type Json } from '../json.js';
import type { ItemDeclaration, RecordDeclaration } from './manifest.js';

/** Something that was learned, and the section of the file in which it is declared. */
export interface LearnedPlace {
  readonly section: string;
  readonly name: string;
  readonly declaration: RecordDeclaration | ItemDeclaration;
  /** RFC 3339. */
  readonly at: string;
}

/**
 * A manifest file with what was learned added to it, as a person would write
 * it. Everything else stays as it is: order, comments, spacing.
 *
 * @param source the file, YAML or JSON
 */
export function fileWithLearned(source: string, learned: readonly LearnedPlace[]): string {
  const document = parseDocument(source);
  const isJson = source.trimStart().startsWith('{');
  let hasAdded = false;
  for (const { section, name, declaration, at } of learned) {
    if (document.hasIn([section, name])) continue;
    hasAdded = true;
    if (!document.has(section)) document.set(section, document.createNode({}));
    const pair = document.createPair(name, inFile(declaration));
    if (!isJson) (pair.key as Scalar).commentBefore = ` learned ${at}`;
    document.addIn([section], pair);
  }
  if (!hasAdded) return source;
  return isJson ? `${JSON.stringify(document.toJS(), null, 2)}\n` : document.toString({ lineWidth: 120 });
}

/** A declaration as it stands in a file: the short form where there is one. */
function inFile(declaration: RecordDeclaration | ItemDeclaration): Json {
  if (!('kind' in declaration)) {
    return 'unique' in declaration ? { unique: true, traits: declaration.traits } : { stack: declaration.stack };
  }
  const family = declaration.family === undefined ? {} : { family: declaration.family };
  switch (declaration.kind) {
    case 'currency':
      return declaration.starting;
    case 'inventory':
      return {};
    case 'score':
      return { ...family, better: declaration.better, counts: declaration.counts };
    default: {
      const { schema } = declaration;
      const isPlain =
        isJsonObject(schema) && Object.keys(schema).length === 2 && !isJsonObject(schema['default'] ?? null);
      return isPlain && declaration.family === undefined ? (schema['default'] ?? null) : { ...family, schema };
    }
  }
}
