import { Refusal } from '@vekkon/protocol/problems';

/** An error as plain data, to cross from one thread to another. */
export type Crossed =
  | {
      readonly sort: 'refusal';
      readonly code: Refusal['code'];
      readonly detail: string;
      readonly facts: Refusal['facts'];
      readonly cause: string | undefined;
    }
  | {
      readonly sort: 'fault';
      readonly name: string;
      readonly message: string;
      readonly stack: string | undefined;
      /** What the system or the database says it is, such as `ENOSPC`. */
      readonly code: string | undefined;
    };

export function crossed(error: unknown): Crossed {
  if (error instanceof Refusal) {
    const { code, detail, facts, cause } = error;
    return { sort: 'refusal', code, detail, facts, cause: cause === undefined ? undefined : String(cause) };
  }
  if (!(error instanceof Error)) return { sort: 'fault', name: 'Error', message: String(error), stack: '', code: '' };
  const { name, message, stack } = error;
  const { code } = error as { readonly code?: unknown };
  return { sort: 'fault', name, message, stack, code: typeof code === 'string' ? code : undefined };
}

/** The error that crossed, as it can be thrown here. */
export function thrown(one: Crossed): Error {
  if (one.sort === 'refusal') {
    const refusal = new Refusal(one.code, one.detail, one.facts);
    if (one.cause !== undefined) refusal.cause = one.cause;
    return refusal;
  }
  const { name, message, stack, code } = one;
  const error = Object.assign(new Error(message), { name, ...(code !== undefined && { code }) });
  if (stack !== undefined) error.stack = stack;
  return error;
}
