export * from './openapi.js';
export * from './problems.js';
export * from './routes.js';
export type {
  Among,
  Board,
  ClosedSeason,
  DoubtfulList,
  DoubtfulResult,
  Placed,
  PlayerStandings,
  ResultStanding,
  Season,
  SeasonList,
  SpreadResponse,
  StandingResponse,
  Stretch,
} from './shapes/boards.js';
export type {
  AccountList,
  AccountResponse,
  AccountSignInResponse,
  AccountSummary,
  AccountTokens,
  MailList,
} from './shapes/accounts.js';
export * from './shapes/activity.js';
export * from './shapes/changes.js';
export * from './shapes/devices.js';
export * from './shapes/disturbances.js';
export * from './shapes/gifts.js';
export * from './shapes/history.js';
export {
  isLoopback,
  type BeginIdentityResponse,
  type FinishIdentityResponse,
  type IdentityProvider,
  type IdentityProviderList,
  type IdentityProviderRequest,
  type ProvidersOffered,
} from './shapes/identities.js';
export * from './names.js';
export type { LimitsRequest, LimitsResponse } from './shapes/limits.js';
export * from './shapes/manifests.js';
export * from './shapes/operators.js';
export * from './shapes/overview.js';
export * from './shapes/players.js';
export * from './shapes/sessions.js';
export * from './shapes/terms.js';
export * from './shapes/transfer.js';
export * from './shapes/tuning.js';
export * from './shapes/unsettled.js';
export * from './shapes/values.js';
export * from './version.js';
