/** What a promise was rejected with; fails if it was not. */
export async function failure(promise: Promise<unknown>): Promise<unknown> {
  try {
    await promise;
  } catch (error) {
    return error;
  }
  throw new Error('It was expected to fail, and did not.');
}
