import type { Json } from '../json.js';
import { formerNames } from '../manifest/former-names.js';
import type { Manifest } from '../manifest/manifest.js';
import type { Rules } from '../records/rules.js';
import { attributeTypes } from './attributes.js';
import type { TunableRules, TuningRules } from './evaluate.js';
import type { Adjustment, EditionContent } from './tuning.js';

/** What an edition says and the manifest no longer allows: it does not count. */
export interface TuningMisfit {
  readonly tunable: string;
  /** The adjustment; null for the base value, or for all of a tunable that is not declared any more. */
  readonly adjustment: string | null;
  readonly detail: string;
}

/**
 * What an edition says, under the names of a manifest and as far as it fits
 * it: the manifest's value counts where the edition's does not.
 */
export function readEdition(
  content: EditionContent,
  { manifest, check }: Pick<Rules, 'manifest' | 'check'>,
): { readonly rules: TuningRules; readonly misfits: readonly TuningMisfit[] } {
  const named = underCurrentNames(content, manifest);
  const misfits: TuningMisfit[] = [];
  for (const tunable of Object.keys(named)) {
    if (Object.hasOwn(manifest.tunables, tunable)) continue;
    misfits.push({ tunable, adjustment: null, detail: 'It is not declared any more.' });
  }
  const tunables: { [name: string]: TunableRules } = {};
  for (const [tunable, { schema, starting }] of Object.entries(manifest.tunables)) {
    const tuned = named[tunable] ?? { adjustments: [] };
    const fits = (value: Json, adjustment: string | null) => {
      const misfit = check?.(schema, value);
      if (misfit !== undefined) misfits.push({ tunable, adjustment, detail: misfit.detail });
      return misfit === undefined;
    };
    const isTuned = tuned.value !== undefined && fits(tuned.value, null);
    tunables[tunable] = {
      value: isTuned ? (tuned.value as Json) : starting,
      from: isTuned ? 'edition' : 'manifest',
      adjustments: tuned.adjustments.filter((one) => valuesOf(one).every((value) => fits(value, one.id))),
    };
  }
  return { rules: { tunables, types: attributeTypes(manifest) }, misfits };
}

/** What is kept by tunable, under the names that the tunables have now. */
export function underCurrentNames<Kept>(
  content: { readonly [tunable: string]: Kept },
  { tunables }: Manifest,
): { readonly [tunable: string]: Kept } {
  const names = formerNames(tunables);
  return Object.fromEntries(
    Object.entries(content).map(([name, tuned]) => [
      Object.hasOwn(tunables, name) ? name : (names.get(name) ?? name),
      tuned,
    ]),
  );
}

/** The values that an adjustment gives. */
export function valuesOf({ value, values }: Adjustment): readonly Json[] {
  return values === undefined ? [value ?? null] : values.map((one) => one.value);
}
