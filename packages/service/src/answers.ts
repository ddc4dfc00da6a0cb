import type { Response } from 'express';

/** An answer that is JSON text already. */
export class JsonText {
  constructor(readonly text: string) {}
}

/** An answer whose JSON text is made piece by piece: of what is large, one piece at a time is held. */
export class JsonPieces {
  constructor(readonly pieces: AsyncIterable<string>) {}
}

/** As much is made before its head is sent, in characters: until then it may turn out to be a problem. */
const madeBeforeHead = 64 * 1024;

/** Sends what is JSON already: what Express would look at on the way is known here. */
export function sendJson(response: Response, status: number, text: string): void {
  response.writeHead(status, {
    'Content-Type': typeOf(response),
    'Content-Length': Buffer.byteLength(text),
  });
  // Node sends no body to whoever asked for the head alone.
  response.end(text);
}

/**
 * Sends an answer as it is made. The next piece is made when the last has been
 * taken; whoever hangs up ends it. What is short is sent as if it had been
 * made at once.
 *
 * @throws whatever making a piece throws; where its head has gone, what follows must cut the answer
 */
export async function sendPieces(response: Response, status: number, { pieces }: JsonPieces): Promise<void> {
  let made = '';
  for await (const piece of pieces) {
    made += piece;
    if (response.destroyed) return;
    if (made.length < madeBeforeHead && !response.headersSent) continue;
    if (!response.headersSent) response.writeHead(status, { 'Content-Type': typeOf(response) });
    const isTaken = response.write(made);
    made = '';
    if (!isTaken) await takenOrGone(response);
  }
  if (!response.headersSent) sendJson(response, status, made);
  else response.end(made);
}

/** JSON, unless the route has said what else it is. */
function typeOf(response: Response): string {
  return (response.getHeader('Content-Type') as string | undefined) ?? 'application/json; charset=utf-8';
}

/** Waits until what was written has been taken, or nobody is there to take it. */
function takenOrGone(response: Response): Promise<void> {
  return new Promise((resolve) => {
    const over = () => {
      response.off('drain', over);
      response.off('close', over);
      resolve();
    };
    response.on('drain', over);
    response.on('close', over);
  });
}
