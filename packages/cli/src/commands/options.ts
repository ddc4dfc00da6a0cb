/** Options that many commands take. */
export const environmentOption = [
  '--environment <game/environment>',
  'which environment; needed where there are several',
] as const;
export const jsonOption = ['--json', 'print JSON, for programs'] as const;
