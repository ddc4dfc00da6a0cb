import { changeMembers, isDeclaredName, isId, limits, type Json } from '@vekkon/core';
import { z } from 'zod';

/** A JSON value. What it may hold is checked by the rules, against the manifest. */
export const jsonValue = z.custom<Json>((value) => value !== undefined, { error: changeMembers.value.words });

export const finiteNumber = z.number();
/** Whole and exact: within ±(2⁵³−1). */
export const wholeNumber = z.int();

export const id = z
  .string()
  .refine(isId, {
    error: `must be 1 to ${limits.idCharacters} characters in NFC, without control characters or "/", and not "." or ".."`,
  })
  .meta({ description: 'An id: 1 to 128 characters of any script in NFC.' });

export const declaredName = z
  .string()
  .refine(isDeclaredName, { error: 'must be small letters, digits and "-", starting with a letter, at most 63' });

export const time = z.iso.datetime({ offset: true }).meta({ description: 'RFC 3339, in UTC.' });

export const recordKey = z
  .string({ error: changeMembers.key.words })
  .min(1, { error: changeMembers.key.words })
  .max(300, { error: changeMembers.key.words })
  .meta({ description: 'kind/name, or kind/name/which for a family.' });

export const storedRecord = z.object({
  revision: z.int().min(0).meta({ description: 'Grows by one at every change; 0: a starting value, not stored yet.' }),
  value: jsonValue,
  removed: z.literal(true).optional().meta({ description: 'It was removed: one of a family is gone.' }),
  misfit: z
    .literal(true)
    .optional()
    .meta({ description: 'What is stored does not fit the manifest: the value is the starting value in its place.' }),
});

export type StoredRecord = z.infer<typeof storedRecord>;

/** Records by key. */
export const recordsByKey = z.record(z.string(), storedRecord);
export type RecordsByKey = z.infer<typeof recordsByKey>;
