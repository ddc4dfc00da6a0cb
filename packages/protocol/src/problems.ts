import type { ChangeProblemCode } from '@vekkon/core';
import { boardProblems } from './board-problems.js';
import type { ProblemFacts } from './problem-facts.js';
import { accountProblems } from './account-problems.js';
import { giftProblems } from './gift-problems.js';
import { tuningProblems } from './tuning-problems.js';

export type { MisfitCount, ProblemFacts } from './problem-facts.js';

interface Entry {
  readonly status: number;
  /** What is wrong, in a few words that never change. */
  readonly title: string;
  /** What to do about it. */
  readonly advice: string;
}

const changeProblems = {
  'request-invalid': {
    status: 400,
    title: 'Request not as it must be',
    advice: 'The issues say where and what. The shapes are in /openapi.json.',
  },
  'too-many-changes': {
    status: 413,
    title: 'Too many changes in one save',
    advice: 'A save takes up to 200 transactions with 1,000 changes between them: send several saves.',
  },
  'body-too-large': {
    status: 413,
    title: 'Body too large',
    advice: 'A request takes up to 1 MiB: send several smaller ones.',
  },
  'key-malformed': { status: 400, title: 'Not a key', advice: 'Write kind/name, or kind/name/which for a family.' },
  'key-not-declared': {
    status: 404,
    title: 'Key not declared',
    advice: 'Check the spelling against the nearest declared key, or declare it in the manifest.',
  },
  'op-not-for-kind': {
    status: 422,
    title: 'Change not for this kind',
    advice: 'Each kind of record knows its own changes: see the detail for which.',
  },
  'value-invalid': {
    status: 422,
    title: 'Value does not fit the manifest',
    advice: 'The pointer says where. Send a value of the declared type and within its bounds.',
  },
  'value-too-deep': { status: 422, title: 'Value nested too deeply', advice: 'Make the value flatter.' },
  'value-too-large': { status: 422, title: 'Record too large', advice: 'Split the record, or keep less in it.' },
  'name-forbidden': { status: 422, title: 'Name not allowed in a value', advice: 'Rename the member.' },
  'revision-mismatch': {
    status: 412,
    title: 'Another revision is stored',
    advice: 'Somebody changed the record meanwhile: read it again and decide anew.',
  },
  'path-not-found': {
    status: 422,
    title: 'Path leads nowhere',
    advice: 'Check the JSON Pointer against the stored value.',
  },
  'not-a-number': { status: 422, title: 'No number there', advice: 'Check the JSON Pointer against the stored value.' },
  'not-a-list': { status: 422, title: 'No list there', advice: 'Check the JSON Pointer against the stored value.' },
  'number-out-of-range': {
    status: 422,
    title: 'Number out of range',
    advice: 'Whole numbers stay within ±(2⁵³−1), all numbers are finite.',
  },
  'balance-too-low': { status: 422, title: 'Balance too low', advice: 'Offer less, or credit the player first.' },
  'balance-too-high': {
    status: 422,
    title: 'Balance too high',
    advice: 'The balance would be above its ceiling, or beyond what a number can hold.',
  },
  'credit-limit': {
    status: 422,
    title: 'Too much credited in a short time',
    advice: 'The manifest says how much a currency takes in credits within a minute, an hour, a day or a week.',
  },
  'text-invalid': {
    status: 422,
    title: 'Text that can not be stored',
    advice: 'Text is Unicode without the character NUL and without halves of surrogate pairs.',
  },
  'record-misfit': {
    status: 409,
    title: 'What is stored does not fit the manifest',
    advice:
      'It is kept as it is. Put a value with ifRevision to replace it, reset it, or install a manifest that allows it.',
  },
  'item-not-declared': {
    status: 422,
    title: 'Item not declared',
    advice: 'Check the spelling against the nearest declared item, or declare it in the manifest.',
  },
  'item-not-accepted': {
    status: 422,
    title: 'Inventory does not take this item',
    advice: 'See "accepts" in the manifest.',
  },
  'item-form': {
    status: 422,
    title: 'Stack or piece?',
    advice: 'A unique item is named by a piece with an id; any other comes by count.',
  },
  'inventory-full': { status: 422, title: 'Inventory full', advice: 'Lose something first, or gain less.' },
  'too-few': { status: 422, title: 'Not that many there', advice: 'Lose at most as many as there are.' },
  'piece-unknown': { status: 422, title: 'No such piece', advice: 'Check the id of the piece and its inventory.' },
  'piece-exists': {
    status: 422,
    title: 'Piece exists already',
    advice: 'The id of a piece is unique for each player: choose another, or lose the piece where it lies first.',
  },
  'score-out-of-bounds': {
    status: 422,
    title: 'Result out of bounds',
    advice: 'The manifest says what the lowest and the highest result can be.',
  },
  'family-full': { status: 422, title: 'Family full', advice: 'Remove one before adding another.' },
  'player-too-large': { status: 422, title: 'Player too large', advice: 'Keep less for this player.' },
  'not-for-players': {
    status: 403,
    title: "Not for the player's own device",
    advice: 'Let a game server do it, or declare "player: write" (or read) for it in the manifest.',
  },
  'checkpoints-not-declared': {
    status: 422,
    title: 'No checkpoints declared',
    advice: 'Say under "checkpoints" in the manifest what a checkpoint is to hold.',
  },
  'checkpoint-exists': {
    status: 409,
    title: 'Checkpoint name taken',
    advice: 'Choose another name, or say with "instead" that the one of that name is given up.',
  },
  'checkpoint-unknown': {
    status: 404,
    title: 'No such checkpoint',
    advice: 'Check the name against the checkpoints that there are.',
  },
  'checkpoints-full': {
    status: 409,
    title: 'All checkpoints taken',
    advice: 'Ask the player which one is to be given up, and say so with "instead".',
  },
} satisfies { readonly [code in ChangeProblemCode]: Entry };

/** Every problem that the service answers with. The page /problems is made from this. */
export const problemCatalogue = {
  ...changeProblems,
  'credential-missing': {
    status: 401,
    title: 'No credential',
    advice: 'Send the header "Authorization: Bearer …" with your host key, or sign in.',
  },
  'credential-unknown': {
    status: 401,
    title: 'Credential not known',
    advice: 'Check that the key was copied whole and belongs to this service; make a new one if it is lost.',
  },
  'credential-revoked': {
    status: 401,
    title: 'Credential revoked or over',
    advice: 'Use a key that is still valid, or sign in again.',
  },
  'credential-wrong-kind': {
    status: 403,
    title: 'Wrong kind of credential',
    advice: 'This call takes another kind: a host key, or an operator who is signed in.',
  },
  'device-revoked': {
    status: 403,
    title: 'Device revoked',
    advice: 'An operator has shut this device out. Begin again with a secret of its own, or ask them.',
  },
  'device-unknown': { status: 404, title: 'Device not known', advice: "See the list of the player's devices." },
  'origin-not-allowed': {
    status: 403,
    title: 'Web origin not allowed',
    advice: 'An admin allows it for the environment, with "vekkon game origins --allow" and the origin.',
  },
  'scope-missing': {
    status: 403,
    title: 'Key is not good for this',
    advice: 'Make a key that is, or use another.',
  },
  'role-too-low': { status: 403, title: 'Role does not allow this', advice: 'Ask an admin to do it, or for the role.' },
  'sign-in-refused': {
    status: 401,
    title: 'E-mail or password wrong',
    advice: 'Check both the e-mail address and the password: in the password capitals count.',
  },
  'key-unknown': { status: 404, title: 'Key not known', advice: 'See the list of keys for their ids.' },
  'invitation-invalid': {
    status: 403,
    title: 'Link used or over',
    advice: 'A link works once and for an hour. While there is no admin, each start of the service makes a new one.',
  },
  'environment-not-named': {
    status: 400,
    title: 'Which environment?',
    advice: 'Send the header "Vekkon-Environment: GAME/ENVIRONMENT".',
  },
  'environment-unknown': {
    status: 404,
    title: 'Environment not known',
    advice: 'Check the names of the game and its environment.',
  },
  'environment-exists': {
    status: 409,
    title: 'Environment exists already',
    advice: 'Choose another name for the environment.',
  },
  'manifest-not-installed': {
    status: 409,
    title: 'No manifest installed',
    advice: 'Install a manifest in this environment first: without it the service can not tell what a record may hold.',
  },
  'manifest-invalid': {
    status: 422,
    title: 'Manifest has mistakes',
    advice: 'Each mistake comes with its line and column. Correct them and send it again.',
  },
  'manifest-too-costly': {
    status: 422,
    title: 'Manifest takes too long to check',
    advice: 'It was given up after five seconds: write fewer and simpler patterns, and smaller schemas.',
  },
  'manifest-misfits': {
    status: 409,
    title: 'Stored records would not fit',
    advice: 'See which. Install a version that takes them, or install it all the same and accept misfits.',
  },
  'manifest-names-conflict': {
    status: 422,
    title: 'A name meant something else before',
    advice: 'Names are never used again for something else: choose another name.',
  },
  'manifest-version-unknown': {
    status: 409,
    title: 'Manifest version not installed',
    advice: 'Install it first, or leave "manifest" out of the join.',
  },
  'manifest-is-other-game': {
    status: 409,
    title: 'The manifest is of another game',
    advice: 'Check which environment you mean, and the "game" in the file.',
  },
  'learning-is-for-tests': {
    status: 409,
    title: 'A live environment does not learn',
    advice: 'Let an environment that is not live learn, pull what it learned into the file, and install that.',
  },
  'player-in-session': {
    status: 409,
    title: 'The player is in a session',
    advice: 'Let them leave first, or wait until the lease has ended.',
  },
  'player-changed': {
    status: 409,
    title: 'The player was changed meanwhile',
    advice: 'Look at what would change once more, and send the `seen` that it was read at.',
  },
  'revision-unknown': {
    status: 404,
    title: 'Revision not kept',
    advice: 'See the history for the revisions that are kept.',
  },
  'trash-unknown': {
    status: 404,
    title: 'Not in the trash',
    advice: 'It was brought back already, or its time was up: see the list of what is there.',
  },
  'player-unknown': {
    status: 404,
    title: 'Player not known',
    advice: 'Check the id. A player is made at their first join.',
  },
  'player-id-invalid': {
    status: 400,
    title: 'Not a player id',
    advice: 'Ids are 1 to 128 characters in NFC, without control characters or "/", and not "." or "..".',
  },
  'player-held': {
    status: 409,
    title: 'Another host holds the player',
    advice: 'Try again when the holder has left, or when its lease has ended.',
  },
  'join-superseded': {
    status: 409,
    title: 'A newer join waits for the player',
    advice: 'Another host asked for this player after you did, and is served in your place.',
  },
  'save-before-refused': {
    status: 409,
    title: 'An earlier save of the session was refused',
    advice: 'See the result of the save before this one: nothing of this one was looked at.',
  },
  ...boardProblems,
  ...giftProblems,
  ...accountProblems,
  ...tuningProblems,
  'unsettled-unknown': {
    status: 404,
    title: 'Not among the unsettled',
    advice: 'It was settled or dropped meanwhile, or the id is wrong: see the list of unsettled transactions.',
  },
  'unsettled-full': {
    status: 503,
    title: 'Too many unsettled transactions of this player',
    advice:
      "Keep what you have and try again later: somebody must settle or drop some of this player's first. Nobody else is held up.",
  },
  'environment-is-live': {
    status: 409,
    title: 'The environment is live',
    advice: 'Players would feel this. An admin may force it.',
  },
  disturbed: {
    status: 503,
    title: 'Refused by a disturbance',
    advice: 'This is a fault made on purpose in this environment: try again, as with any 503.',
  },
  'host-replaced': {
    status: 409,
    title: 'Host was started again',
    advice: 'A newer start of this host has taken its place: end this one.',
  },
  'session-unknown': { status: 404, title: 'Session not known', advice: 'Join the player again.' },
  'session-ended': {
    status: 409,
    title: 'Session has ended',
    advice: 'The player left, or somebody else joined them: join again, and never write for this session.',
  },
  'save-out-of-order': {
    status: 409,
    title: 'Save number out of turn',
    advice: 'Send the number that is expected. Each save carries the number after the one before.',
  },
  'save-differs': {
    status: 409,
    title: 'Save was sent with other contents',
    advice: 'A number stands for one save: repeat it unchanged, or use the next number.',
  },
  'save-too-far-ahead': {
    status: 409,
    title: 'Save too far ahead of the answers',
    advice:
      'Take the answers of the saves before it first, by sending those again unchanged, and say in "answered" which you have.',
  },
  'record-unknown': {
    status: 404,
    title: 'Record not stored',
    advice: 'The player has no such record yet: put it first.',
  },
  'precondition-failed': {
    status: 412,
    title: 'It is another one by now',
    advice: 'Read it again, and send what you want to send with its new ETag.',
  },
  'precondition-needed': {
    status: 428,
    title: 'Say what you are replacing',
    advice: 'The player is in a session: send If-Match with the ETag of the record that you read.',
  },
  'idempotency-key-missing': {
    status: 400,
    title: 'No Idempotency-Key',
    advice: 'Send the header "Idempotency-Key: …" with a token of your own, the same for every try of one call.',
  },
  'idempotency-key-reused': {
    status: 422,
    title: 'Idempotency-Key used for something else',
    advice: 'A key stands for one call for 7 days: repeat that call unchanged, or take a new key.',
  },
  'body-not-json': { status: 400, title: 'Body is not JSON', advice: 'Send JSON (RFC 8259) in UTF-8.' },
  'media-type-unsupported': {
    status: 415,
    title: 'Not sent as JSON',
    advice: 'Send the header "Content-Type: application/json".',
  },
  'too-many-requests': {
    status: 429,
    title: 'Too many requests',
    advice: 'Wait for as long as Retry-After says.',
  },
  'headers-too-large': {
    status: 431,
    title: 'Headers too large',
    advice: 'The headers of one request take at most 16 KiB together: is a credential sent more than once?',
  },
  'request-too-slow': {
    status: 408,
    title: 'Request did not arrive',
    advice: 'It has two minutes to arrive whole: send it again.',
  },
  'range-not-satisfiable': {
    status: 416,
    title: 'Nothing in that range',
    advice: 'The file is shorter: ask for a range within it, or for the whole.',
  },
  'route-unknown': { status: 404, title: 'Nothing here', advice: 'See /openapi.json for what there is.' },
  'service-stopping': {
    status: 503,
    title: 'Service is stopping',
    advice: 'Try again shortly: another start of the service will answer.',
  },
  'store-not-writable': {
    status: 503,
    title: 'Store not writable',
    advice: 'Nothing of this request was kept. Try again after Retry-After; the service recovers by itself.',
  },
  'store-damaged': {
    status: 500,
    title: 'Store damaged',
    advice:
      'The database file of the service is damaged, which does not pass by itself. Keep what you have. Whoever runs the service stops it, looks with "vekkon verify", and restores a backup.',
  },
  fault: {
    status: 500,
    title: 'Fault in the service',
    advice: 'This is ours. Look for the requestId in the log of the service.',
  },
} as const satisfies { readonly [code: string]: Entry };

export type ProblemCode = keyof typeof problemCatalogue;

/** Why a request was refused; becomes problem details (RFC 9457) on the wire. */
export class Refusal extends Error {
  override readonly name = 'Refusal';
  readonly status: number;

  constructor(
    readonly code: ProblemCode,
    /** What is wrong in this case and what to do next; the catalogue's advice where there is nothing to add. */
    readonly detail: string = problemCatalogue[code].advice,
    readonly facts: ProblemFacts = {},
  ) {
    super(detail);
    this.status = problemCatalogue[code].status;
  }
}

/** Problem details (RFC 9457) as the service sends them. */
export interface ProblemDetails extends ProblemFacts {
  readonly type: string;
  readonly title: string;
  readonly status: number;
  readonly detail: string;
  readonly code: ProblemCode;
  readonly requestId: string;
}

export function problemDetails(refusal: Refusal, requestId: string): ProblemDetails {
  const { code, detail, facts, status } = refusal;
  return { type: `/problems#${code}`, title: problemCatalogue[code].title, status, detail, code, requestId, ...facts };
}
