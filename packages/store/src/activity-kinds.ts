/** What players do, or what is done to them while they play: noted by the service itself. */
const ofPlay: ReadonlySet<string> = new Set([
  'joined',
  'left',
  'taken-over',
  'handover-wanted',
  'save-refused',
  'came-late',
  'tries-failed',
  'result-doubtful',
]);

/** What did not come about as it was meant to. */
export const failures: readonly string[] = [
  'save-refused',
  'came-late',
  'tries-failed',
  'taken-over',
  'sign-in-failed',
  'sign-in-locked',
];

export function isOfPlay(what: string): boolean {
  return ofPlay.has(what);
}
