import type { Json } from '@vekkon/core';

/** A value in a field of a form, by its schema. */
export function fieldOf(schema: Json): 'boolean' | 'number' | 'choice' | 'text' | 'list' | 'json' {
  if (typeof schema !== 'object' || schema === null || Array.isArray(schema)) return 'json';
  const { type, enum: choices } = schema as { readonly type?: Json; readonly enum?: Json };
  if (Array.isArray(choices)) return 'choice';
  if (type === 'boolean') return 'boolean';
  if (type === 'number' || type === 'integer') return 'number';
  if (type === 'string') return 'text';
  const { items } = schema as { readonly items?: Json };
  const isOfTexts = type === 'array' && (items as { readonly type?: Json } | undefined)?.type === 'string';
  return isOfTexts ? 'list' : 'json';
}
