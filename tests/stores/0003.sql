CREATE TABLE "kysely_migration" ("name" varchar(255) not null primary key, "timestamp" varchar(255) not null);
insert into "kysely_migration" values ('0001-first-slice', '2026-11-25T14:18:22.403Z');
insert into "kysely_migration" values ('0002-sessions-that-never-lose', '2026-11-25T14:18:22.409Z');
insert into "kysely_migration" values ('0003-changes-from-outside', '2026-11-25T14:18:22.411Z');
CREATE TABLE "kysely_migration_lock" ("id" varchar(255) not null primary key, "is_locked" integer default 0 not null);
insert into "kysely_migration_lock" values ('migration_lock', 0);
CREATE TABLE "environments" ("number" integer primary key autoincrement, "game" text not null, "name" text not null, "is_live" integer not null, "lease_seconds" integer not null, "manifest_version" integer, "created_at" bigint not null, constraint "one_environment_a_name" unique ("game", "name"));
insert into "environments" values (1, 'highfell-gliders', 'dev', 0, 900, 1, 1795616303267);
CREATE TABLE "manifests" ("environment" integer not null references "environments" ("number"), "version" integer not null, "source" text not null, "manifest" text not null, "installed_at" bigint not null, constraint "manifests_key" primary key ("environment", "version"));
insert into "manifests" values (1, 1, 'manifest: 1
game: highfell-gliders
title: Highfell Gliders

progress:
  climbs: 0 # short form: a number that starts at 0
  flight:
    about: How far the pilot has come in this run.
    lasts: run
    player: read
    schema:
      type: object
      additionalProperties: false
      properties:
        chapter: { type: integer, minimum: 1, maximum: 40, default: 1 }
        charted: { type: array, items: { type: string, maxLength: 60 }, uniqueItems: true, maxItems: 200, default: [] }
        metres: { type: number, minimum: 0, default: 0 }
  logbook:
    about: What a pilot keeps for ever, whatever becomes of the run.
    lasts: always
    player: read
    schema:
      type: object
      additionalProperties: false
      properties:
        flights: { type: integer, minimum: 0, default: 0 }
        highest: { type: [number, ''null''], default: null }
        notes: { type: array, items: { type: string, maxLength: 200 }, maxItems: 100, default: [] }
  glider:
    about: A glider with a name of its own.
    family: { atMost: 6 }
    player: read
    schema:
      type: object
      additionalProperties: false
      properties:
        span: { type: number, minimum: 6, maximum: 24, default: 11 }
        cloth: { enum: [paper, silk, oiled-silk], default: paper }
        wear: { type: number, minimum: 0, maximum: 1, default: 0 }

currencies:
  feather: { about: Found in thermals and spent in camps., starting: 40, floor: 0, ceiling: 1000000 }
  opal: 2

preferences:
  invert-pitch: false
  subtitle-size: { schema: { enum: [small, medium, large], default: medium } }
  map-detail: { schema: { enum: [plain, contours, winds], default: contours } }

boards:
  gorge-run: { better: lower, counts: best, unit: milliseconds, lowest: 20000, highest: 3600000 }
  metres-climbed: { better: higher, counts: sum, unit: metres }
  longest-glide: { better: higher, counts: best, unit: metres }

tunables:
  thermal-strength:
    about: How fast a thermal lifts a glider.
    schema: { type: number, minimum: 0.1, maximum: 5, default: 1 }
  storm-warning: false
  camp-note: ''''
', '{"game":"highfell-gliders","title":"Highfell Gliders","records":{"progress/climbs":{"kind":"progress","lasts":"always","player":"none","others":"none","schema":{"type":"number","default":0},"starting":0},"progress/flight":{"kind":"progress","about":"How far the pilot has come in this run.","lasts":"run","player":"read","others":"none","schema":{"type":"object","additionalProperties":false,"properties":{"chapter":{"type":"integer","minimum":1,"maximum":40,"default":1},"charted":{"type":"array","items":{"type":"string","maxLength":60},"uniqueItems":true,"maxItems":200,"default":[]},"metres":{"type":"number","minimum":0,"default":0}}},"starting":{"chapter":1,"charted":[],"metres":0}},"progress/logbook":{"kind":"progress","about":"What a pilot keeps for ever, whatever becomes of the run.","lasts":"always","player":"read","others":"none","schema":{"type":"object","additionalProperties":false,"properties":{"flights":{"type":"integer","minimum":0,"default":0},"highest":{"type":["number","null"],"default":null},"notes":{"type":"array","items":{"type":"string","maxLength":200},"maxItems":100,"default":[]}}},"starting":{"flights":0,"highest":null,"notes":[]}},"progress/glider":{"kind":"progress","about":"A glider with a name of its own.","lasts":"always","player":"read","others":"none","family":{"atMost":6},"schema":{"type":"object","additionalProperties":false,"properties":{"span":{"type":"number","minimum":6,"maximum":24,"default":11},"cloth":{"enum":["paper","silk","oiled-silk"],"default":"paper"},"wear":{"type":"number","minimum":0,"maximum":1,"default":0}}},"starting":{"span":11,"cloth":"paper","wear":0}},"preference/invert-pitch":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"type":"boolean","default":false},"starting":false},"preference/subtitle-size":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"enum":["small","medium","large"],"default":"medium"},"starting":"medium"},"preference/map-detail":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"enum":["plain","contours","winds"],"default":"contours"},"starting":"contours"},"currency/feather":{"kind":"currency","about":"Found in thermals and spent in camps.","lasts":"always","player":"read","others":"none","starting":40,"floor":0,"ceiling":1000000},"currency/opal":{"kind":"currency","lasts":"always","player":"read","others":"none","starting":2,"floor":0,"ceiling":9007199254740991},"score/gorge-run":{"kind":"score","lasts":"always","player":"read","others":"none","better":"lower","counts":"best","public":true,"unit":"milliseconds","lowest":20000,"highest":3600000},"score/metres-climbed":{"kind":"score","lasts":"always","player":"read","others":"none","better":"higher","counts":"sum","public":true,"unit":"metres"},"score/longest-glide":{"kind":"score","lasts":"always","player":"read","others":"none","better":"higher","counts":"best","public":true,"unit":"metres"}},"tunables":{"thermal-strength":{"about":"How fast a thermal lifts a glider.","schema":{"type":"number","minimum":0.1,"maximum":5,"default":1},"starting":1},"storm-warning":{"schema":{"type":"boolean","default":false},"starting":false},"camp-note":{"schema":{"type":"string","default":""},"starting":""}}}', 1795616303267);
CREATE TABLE "operators" ("number" integer primary key autoincrement, "email" text not null unique, "name" text not null, "role" text not null, "password_hash" text not null, "created_at" bigint not null);
insert into "operators" values (1, 'tobin@highfell.example', 'Tobin', 'admin', '$argon2id$v=19$m=19456,t=2,p=1$ri3DB2uz9a9We5QhJeo+9g$UdRCrswmLTqyrOJhb9QmDPjVd20KUP7+lBggmFKVHqk', 1795616302648);
CREATE TABLE "credentials" ("hash" text primary key, "hint" text, "sort" text not null, "environment" integer references "environments" ("number"), "operator" integer references "operators" ("number"), "created_at" bigint not null, "expires_at" bigint, "revoked_at" bigint);
insert into "credentials" values ('RxwSR6uwAlfp4Zpu1mP4dx6RYDokLVNHqtIy6-xUb5w', null, 'first-admin', null, null, 1795616302513, 1795619902512, 1795616302648);
insert into "credentials" values ('yrYYVrocYSFlwzfXsgAVJcKw23p8LvN2H7Ow24-hAdw', null, 'operator', null, 1, 1795616302651, 1796825902651, null);
insert into "credentials" values ('eUdyIK1bkWnt7H4IOlEeV36nXjL-T_jqRHesvVvwtzQ', 'vkh_CQ-7EVgZ', 'host-key', 1, null, 1795616303267, null, null);
insert into "credentials" values ('7sASkqln1n7AA-zinOB8ePdl60-rV9P15OW7z5pI-zY', 'vkd_ickBg4y_', 'device-key', 1, null, 1795616303267, null, null);
CREATE TABLE "players" ("number" integer primary key autoincrement, "environment" integer not null references "environments" ("number"), "id" text not null, "name" text, "created_at" bigint not null, "first_joined_at" bigint, "last_joined_at" bigint, "last_left_at" bigint, "fence" integer not null, "seen" integer not null, constraint "one_player_an_id" unique ("environment", "id"));
insert into "players" values (1, 1, 'p-1', 'Maren', 1795616303360, 1795616303360, 1795616303360, 1795616303508, 1, 5);
insert into "players" values (2, 1, 'p-2', null, 1795616303520, 1795616303520, 1795616303520, null, 1, 2);
insert into "players" values (3, 1, 'p-3', null, 1795616303541, null, null, null, 0, 1);
CREATE TABLE "records" ("player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "seen" integer not null, "changed_at" bigint not null, constraint "records_key" primary key ("player", "key"));
insert into "records" values (1, 'progress/climbs', 4, '9', 4, 1795616303508);
insert into "records" values (1, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795616303360);
insert into "records" values (1, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[]}', 1, 1795616303360);
insert into "records" values (1, 'preference/invert-pitch', 1, 'false', 1, 1795616303360);
insert into "records" values (1, 'preference/subtitle-size', 1, '"medium"', 1, 1795616303360);
insert into "records" values (1, 'preference/map-detail', 1, '"contours"', 1, 1795616303360);
insert into "records" values (1, 'currency/feather', 5, '135', 5, 1795616303550);
insert into "records" values (1, 'currency/opal', 1, '2', 1, 1795616303360);
insert into "records" values (1, 'score/gorge-run', 3, '{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-25T14:18:23.477Z","latestAt":"2026-11-25T14:18:23.508Z"}', 4, 1795616303508);
insert into "records" values (2, 'progress/climbs', 2, '3', 2, 1795616303532);
insert into "records" values (2, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795616303520);
insert into "records" values (2, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[]}', 1, 1795616303520);
insert into "records" values (2, 'preference/invert-pitch', 1, 'false', 1, 1795616303520);
insert into "records" values (2, 'preference/subtitle-size', 1, '"medium"', 1, 1795616303520);
insert into "records" values (2, 'preference/map-detail', 1, '"contours"', 1, 1795616303520);
insert into "records" values (2, 'currency/feather', 2, '70', 2, 1795616303532);
insert into "records" values (2, 'currency/opal', 1, '2', 1, 1795616303520);
insert into "records" values (2, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T14:18:23.532Z","latestAt":"2026-11-25T14:18:23.532Z"}', 2, 1795616303532);
insert into "records" values (3, 'progress/climbs', 1, '17', 1, 1795616303541);
CREATE TABLE "history" ("player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "seen" integer not null, "at" bigint not null, "session" text, "label" text, constraint "history_key" primary key ("player", "key", "revision"));
insert into "history" values (1, 'progress/climbs', 1, '0', 1, 1795616303360, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "history" values (1, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795616303360, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "history" values (1, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[]}', 1, 1795616303360, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "history" values (1, 'preference/invert-pitch', 1, 'false', 1, 1795616303360, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "history" values (1, 'preference/subtitle-size', 1, '"medium"', 1, 1795616303360, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "history" values (1, 'preference/map-detail', 1, '"contours"', 1, 1795616303360, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "history" values (1, 'currency/feather', 1, '40', 1, 1795616303360, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "history" values (1, 'currency/opal', 1, '2', 1, 1795616303360, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "history" values (1, 'progress/climbs', 2, '3', 2, 1795616303477, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', 'climb');
insert into "history" values (1, 'currency/feather', 2, '70', 2, 1795616303477, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', 'climb');
insert into "history" values (1, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T14:18:23.477Z","latestAt":"2026-11-25T14:18:23.477Z"}', 2, 1795616303477, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', 'climb');
insert into "history" values (1, 'progress/climbs', 3, '6', 3, 1795616303496, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', 'climb');
insert into "history" values (1, 'currency/feather', 3, '100', 3, 1795616303496, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', 'climb');
insert into "history" values (1, 'score/gorge-run', 2, '{"latest":61250,"best":61250,"sum":122500,"count":2,"bestAt":"2026-11-25T14:18:23.477Z","latestAt":"2026-11-25T14:18:23.496Z"}', 3, 1795616303496, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', 'climb');
insert into "history" values (1, 'progress/climbs', 4, '9', 4, 1795616303508, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "history" values (1, 'currency/feather', 4, '130', 4, 1795616303508, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "history" values (1, 'score/gorge-run', 3, '{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-25T14:18:23.477Z","latestAt":"2026-11-25T14:18:23.508Z"}', 4, 1795616303508, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "history" values (2, 'progress/climbs', 1, '0', 1, 1795616303520, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "history" values (2, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795616303520, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "history" values (2, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[]}', 1, 1795616303520, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "history" values (2, 'preference/invert-pitch', 1, 'false', 1, 1795616303520, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "history" values (2, 'preference/subtitle-size', 1, '"medium"', 1, 1795616303520, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "history" values (2, 'preference/map-detail', 1, '"contours"', 1, 1795616303520, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "history" values (2, 'currency/feather', 1, '40', 1, 1795616303520, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "history" values (2, 'currency/opal', 1, '2', 1, 1795616303520, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "history" values (2, 'progress/climbs', 2, '3', 2, 1795616303532, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "history" values (2, 'currency/feather', 2, '70', 2, 1795616303532, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "history" values (2, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T14:18:23.532Z","latestAt":"2026-11-25T14:18:23.532Z"}', 2, 1795616303532, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "history" values (3, 'progress/climbs', 1, '17', 1, 1795616303541, null, null);
insert into "history" values (1, 'currency/feather', 5, '135', 5, 1795616303550, null, null);
CREATE TABLE "ledger" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "key" text not null, "at" bigint not null, "amount" bigint not null, "balance" bigint not null, "reason" text not null, "count" integer not null, "session" text, "label" text);
insert into "ledger" values (1, 1, 'currency/feather', 1795616303360, 40, 40, 'starting value', 1, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "ledger" values (2, 1, 'currency/opal', 1795616303360, 2, 2, 'starting value', 1, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "ledger" values (3, 1, 'currency/feather', 1795616303477, 30, 70, 'climb', 1, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', 'climb');
insert into "ledger" values (4, 1, 'currency/feather', 1795616303496, 30, 100, 'climb', 1, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', 'climb');
insert into "ledger" values (5, 1, 'currency/feather', 1795616303508, 30, 130, 'climb', 1, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', null);
insert into "ledger" values (6, 2, 'currency/feather', 1795616303520, 40, 40, 'starting value', 1, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "ledger" values (7, 2, 'currency/opal', 1795616303520, 2, 2, 'starting value', 1, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "ledger" values (8, 2, 'currency/feather', 1795616303532, 30, 70, 'climb', 1, 'ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', null);
insert into "ledger" values (9, 1, 'currency/feather', 1795616303550, 5, 135, 'gift', 1, null, null);
CREATE TABLE "host_instances" ("number" integer primary key autoincrement, "environment" integer not null references "environments" ("number"), "host" text not null, "instance" text not null, "seen_at" bigint not null, constraint "one_row_an_instance" unique ("environment", "host", "instance"));
CREATE TABLE "sessions" ("id" text primary key, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "host" text not null, "instance" text, "attempt" text, "fence" integer not null, "is_new" integer not null, "manifest_version" integer not null, "attributes" text not null, "joined_at" bigint not null, "seen_at_join" integer not null, "ended_at" bigint, "end" text, "seen_at_end" integer, "next_save" integer not null, "last_saved_at" bigint, "last_digest" text, "last_outcome" text, "leave_outcome" text);
insert into "sessions" values ('ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', 1, 1, 'ridge-eu-1', null, 'a', 1, 1, 1, '{}', 1795616303360, 1, 1795616303508, 'left', 4, 4, 1795616303508, 'vyj-hDbS4bXf_WlL6SWmJFqMqXOfI4UNvpExIhHhUV8', '{"number":3,"seen":4,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":4,"value":9},"currency/feather":{"revision":4,"value":130},"score/gorge-run":{"revision":3,"value":{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-25T14:18:23.477Z","latestAt":"2026-11-25T14:18:23.508Z"}}}}', '{"number":3,"seen":4,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":4,"value":9},"currency/feather":{"revision":4,"value":130},"score/gorge-run":{"revision":3,"value":{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-25T14:18:23.477Z","latestAt":"2026-11-25T14:18:23.508Z"}}}}');
insert into "sessions" values ('ses_X5tsISLPemwRBT-9F_DBKVvwtEQ9igkV', 1, 2, 'ridge-eu-1', null, null, 1, 1, 1, '{}', 1795616303520, 1, null, null, null, 2, 1795616303532, 'ht_fC3vfjb1NHxz66DGcTTPAaVJ3sqh3PEn4FCPHga8', '{"number":1,"seen":2,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":2,"value":3},"currency/feather":{"revision":2,"value":70},"score/gorge-run":{"revision":1,"value":{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T14:18:23.532Z","latestAt":"2026-11-25T14:18:23.532Z"}}}}', null);
CREATE TABLE "once_tokens" ("player" integer not null references "players" ("number"), "token" text not null, "at" bigint not null, constraint "once_tokens_key" primary key ("player", "token"));
insert into "once_tokens" values (1, 'once-1', 1795616303477);
insert into "once_tokens" values (1, 'once-2', 1795616303496);
CREATE TABLE "unsettled" ("id" text primary key, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "session" text not null, "host" text not null, "save_number" integer not null, "position" integer not null, "content" text not null, "reason" text not null, "detail" text not null, "at" bigint not null, constraint "unsettled_once" unique ("session", "save_number", "position"));
insert into "unsettled" values ('uns_IAIBVHETd5TrHNVpKLfgE2', 1, 1, 'ses_Ehl9txieEPRrTuKb9X1f0diqDy5QHYbg', 'ridge-eu-1', 4, 0, '{"changes":[{"op":"increase","key":"progress/climbs","path":"","by":3},{"op":"credit","key":"currency/feather","amount":30,"reason":"climb"},{"op":"submit","key":"score/gorge-run","value":61250}]}', 'session-ended', 'The session ended at 2026-11-25T14:18:23.508Z: the player left. Join the player again to go on.', 1795616303562);
CREATE TABLE "activity" ("number" integer primary key autoincrement, "environment" integer not null references "environments" ("number"), "at" bigint not null, "what" text not null, "by" text, "player" text, "detail" text not null);
CREATE TABLE "tombstones" ("environment" integer not null references "environments" ("number"), "player" text not null, "erased_at" bigint not null, constraint "tombstones_key" primary key ("environment", "player", "erased_at"));
CREATE TABLE "probes" ("at" bigint not null);
insert into "probes" values (0);
CREATE TABLE "outside_requests" ("environment" integer not null references "environments" ("number"), "token" text not null, "digest" text not null, "outcome" text not null, "at" bigint not null, constraint "outside_requests_key" primary key ("environment", "token"));
insert into "outside_requests" values (1, 'gift-1', 'NbbnMTEeJvSUkU9FxruzN2kvvlh5V-dx6EbvQCtsagc', '{"seen":5,"transactions":[{"applied":true}],"records":{"currency/feather":{"revision":5,"value":135}}}', 1795616303550);
CREATE INDEX "players_by_last_join" on "players" ("environment", "last_joined_at", "number");
CREATE INDEX "ledger_by_player" on "ledger" ("player", "key", "number");
CREATE INDEX "sessions_by_player" on "sessions" ("player", "fence");
CREATE UNIQUE INDEX "one_open_session_a_player" on "sessions" ("player") where "ended_at" is null;
CREATE INDEX "unsettled_by_environment" on "unsettled" ("environment", "at");
CREATE INDEX "activity_by_environment" on "activity" ("environment", "number");
CREATE INDEX "sessions_by_host" on "sessions" ("environment", "host", "joined_at");
