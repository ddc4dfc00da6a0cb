import { checkRewards } from '../boards/check-rewards.js';
import { checkTogether } from './check-together.js';
import { valueAt } from '../keys/json-pointer.js';
import type { Manifest, Schema } from './manifest.js';
import { checkShape } from './manifest-shape.js';
import { parseManifestText, type Mistake } from './manifest-text.js';
import type { Complain } from './mistake.js';
import { complainOfSchema, writeOut } from './write-out.js';

export type { Mistake } from './manifest-text.js';

export type ReadManifest = { readonly manifest: Manifest } | { readonly mistakes: readonly Mistake[] };

/** More than anybody reads at once: those that come after are counted. */
const mostMistakes = 100;

/**
 * Reads a manifest from its YAML or JSON text.
 *
 * @param source the file's text (YAML 1.2, of which JSON is a part), at most 1 MiB
 * @returns the manifest with its short forms written out, or every mistake in
 *   the file: what is wrong in one declaration does not hide what is wrong in
 *   another
 */
export function readManifestFile(source: string): ReadManifest {
  const text = parseManifestText(source);
  if ('mistakes' in text) return { mistakes: inOrder(text.mistakes) };
  const mistakes: Mistake[] = [];
  let more = 0;
  const complain: Complain = (path, detail) => {
    // Where a mistake stands is looked for only while it is told.
    if (mistakes.length >= mostMistakes) more++;
    else mistakes.push({ ...text.placeOf(path), detail: typeof detail === 'string' ? detail : detail() });
  };
  const shape = checkShape(text.content, complain);
  if (shape !== undefined) {
    const { right, wrong, schemasInWrong } = shape;
    for (const path of schemasInWrong)
      complainOfSchema(path, valueAt(text.content, path.map(String)) as Schema, complain);
    // What refers to a declaration that is wrong itself is not wrong for that.
    const isOfWrong = (detail: string) =>
      [...wrong].some((name) => detail.includes(`"${name}"`) || detail.includes(`/${name}"`));
    const complainOfOthers: Complain = (path, detail) => {
      if (mistakes.length >= mostMistakes) return complain(path, detail);
      const said = typeof detail === 'string' ? detail : detail();
      if (!isOfWrong(said)) complain(path, said);
    };
    const manifest = checkTogether(writeOut(right, complain), complainOfOthers);
    checkRewards(manifest, complainOfOthers);
    if (mistakes.length === 0) return { manifest };
  }
  if (more > 0) {
    const last = mistakes.at(-1) as Mistake;
    mistakes.push({
      ...last,
      detail: `There ${more === 1 ? 'is one mistake' : `are ${more} mistakes`} more: mend these first.`,
    });
  }
  return { mistakes: inOrder(mistakes) };
}

function inOrder(mistakes: readonly Mistake[]): readonly Mistake[] {
  return mistakes.toSorted((one, other) => one.line - other.line || one.column - other.column);
}
