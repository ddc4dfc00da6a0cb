import { parseDocument } from 'yaml';
import { isJsonObject, type Json } from '../json.js';

/** A tunable as it is added to a file. */
export interface NewTunable {
  readonly name: string;
  readonly about?: string | undefined;
  /** A JSON Schema with a default, or a bare value that stands for one. */
  readonly schema: Json;
}

/**
 * A manifest file with another tunable. Everything else stays as it is:
 * order, comments, spacing.
 *
 * @param source the file, YAML or JSON
 */
export function fileWithTunable(source: string, { name, about, schema }: NewTunable): string {
  const isShort = !isJsonObject(schema) && about === undefined;
  const long = isJsonObject(schema) ? schema : { type: typeOfValue(schema), default: schema };
  const declaration = isShort ? schema : { ...(about !== undefined && { about }), schema: long };
  return changed(source, (document) => {
    if (!document.has('tunables')) document.set('tunables', document.createNode({}));
    document.setIn(['tunables', name], document.createNode(declaration));
  });
}

/** A manifest file without a tunable. @returns undefined if the file does not declare it */
export function fileWithoutTunable(source: string, name: string): string | undefined {
  if (!parseDocument(source).hasIn(['tunables', name])) return undefined;
  return changed(source, (document) => {
    document.deleteIn(['tunables', name]);
    const left = document.get('tunables') as { readonly items?: readonly unknown[] } | undefined;
    if (left?.items?.length === 0) document.delete('tunables');
  });
}

function changed(source: string, change: (document: ReturnType<typeof parseDocument>) => void): string {
  const document = parseDocument(source);
  change(document);
  const isJson = source.trimStart().startsWith('{');
  return isJson ? `${JSON.stringify(document.toJS(), null, 2)}\n` : document.toString({ lineWidth: 120 });
}

function typeOfValue(value: Json): string {
  if (value === null) return 'null';
  return Array.isArray(value) ? 'array' : typeof value;
}
