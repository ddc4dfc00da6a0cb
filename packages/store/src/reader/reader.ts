import type { Kysely } from 'kysely';
import { Manifests } from '../manifests.js';
import type { Tables } from '../tables.js';
import { AccessReads } from './access.js';
import { AccountReads } from './accounts.js';
import { ActivityReads } from './activity.js';
import { BoardReads } from './boards.js';
import { EnvironmentReads } from './environments.js';
import { ExportReads } from './export.js';
import { FoundByReads } from './found-by.js';
import { GiftReads } from './gifts.js';
import { HistoryReads } from './history.js';
import { ManifestReads } from './manifests.js';
import { OutdatedReads } from './outdated.js';
import { OverviewReads } from './overview.js';
import { PlayerReads } from './player.js';
import { SessionReads } from './sessions.js';
import { TransferReads } from './transfer.js';
import { TuningReads } from './tuning.js';
import { UnsettledReads } from './unsettled.js';

/** Everything that is read, a resource each. It has a connection of its own and never waits for the writer. */
export class Reader {
  readonly access: AccessReads;
  readonly accounts: AccountReads;
  readonly activity: ActivityReads;
  readonly boards: BoardReads;
  readonly environments: EnvironmentReads;
  readonly exported: ExportReads;
  readonly foundBy: FoundByReads;
  readonly gifts: GiftReads;
  readonly history: HistoryReads;
  readonly manifests: ManifestReads;
  readonly outdated: OutdatedReads;
  readonly overview: OverviewReads;
  readonly players: PlayerReads;
  readonly sessions: SessionReads;
  readonly transfer: TransferReads;
  readonly tuning: TuningReads;
  readonly unsettled: UnsettledReads;

  constructor(db: Kysely<Tables>) {
    const manifests = new Manifests(db);
    this.access = new AccessReads(db);
    this.accounts = new AccountReads(db);
    this.activity = new ActivityReads(db);
    this.boards = new BoardReads(db);
    this.environments = new EnvironmentReads(db);
    this.exported = new ExportReads(db);
    this.foundBy = new FoundByReads(db, manifests);
    this.history = new HistoryReads(db);
    this.players = new PlayerReads(db, manifests);
    this.gifts = new GiftReads(db, this.players, manifests);
    this.outdated = new OutdatedReads(db);
    this.overview = new OverviewReads(db);
    this.transfer = new TransferReads(db, this.players, manifests);
    this.sessions = new SessionReads(db);
    this.tuning = new TuningReads(db);
    this.manifests = new ManifestReads(db, manifests, this.tuning);
    this.unsettled = new UnsettledReads(db);
  }
}
