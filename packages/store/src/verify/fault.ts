/** What does not agree, and how it would be mended. */
export interface PlayerFault {
  readonly detail: string;
  readonly mend: string;
}
