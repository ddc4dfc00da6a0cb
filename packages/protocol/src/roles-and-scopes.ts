/** What operators may do, the least first. */
export const roles = ['viewer', 'support', 'designer', 'admin'] as const;
export type Role = (typeof roles)[number];

/** What a key is good for. */
export const scopes = ['read', 'write', 'boards', 'tuning'] as const;
export type Scope = (typeof scopes)[number];
