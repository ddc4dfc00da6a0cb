CREATE TABLE "kysely_migration" ("name" varchar(255) not null primary key, "timestamp" varchar(255) not null);
insert into "kysely_migration" values ('0001-first-slice', '2026-11-25T14:18:19.944Z');
insert into "kysely_migration" values ('0002-sessions-that-never-lose', '2026-11-25T14:18:19.949Z');
CREATE TABLE "kysely_migration_lock" ("id" varchar(255) not null primary key, "is_locked" integer default 0 not null);
insert into "kysely_migration_lock" values ('migration_lock', 0);
CREATE TABLE "environments" ("number" integer primary key autoincrement, "game" text not null, "name" text not null, "is_live" integer not null, "lease_seconds" integer not null, "manifest_version" integer, "created_at" bigint not null, constraint "one_environment_a_name" unique ("game", "name"));
insert into "environments" values (1, 'highfell-gliders', 'dev', 0, 900, 1, 1795616300692);
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
', '{"game":"highfell-gliders","title":"Highfell Gliders","records":{"progress/climbs":{"kind":"progress","lasts":"always","player":"none","others":"none","schema":{"type":"number","default":0},"starting":0},"progress/flight":{"kind":"progress","about":"How far the pilot has come in this run.","lasts":"run","player":"read","others":"none","schema":{"type":"object","additionalProperties":false,"properties":{"chapter":{"type":"integer","minimum":1,"maximum":40,"default":1},"charted":{"type":"array","items":{"type":"string","maxLength":60},"uniqueItems":true,"maxItems":200,"default":[]},"metres":{"type":"number","minimum":0,"default":0}}},"starting":{"chapter":1,"charted":[],"metres":0}},"progress/logbook":{"kind":"progress","about":"What a pilot keeps for ever, whatever becomes of the run.","lasts":"always","player":"read","others":"none","schema":{"type":"object","additionalProperties":false,"properties":{"flights":{"type":"integer","minimum":0,"default":0},"highest":{"type":["number","null"],"default":null},"notes":{"type":"array","items":{"type":"string","maxLength":200},"maxItems":100,"default":[]}}},"starting":{"flights":0,"highest":null,"notes":[]}},"progress/glider":{"kind":"progress","about":"A glider with a name of its own.","lasts":"always","player":"read","others":"none","family":{"atMost":6},"schema":{"type":"object","additionalProperties":false,"properties":{"span":{"type":"number","minimum":6,"maximum":24,"default":11},"cloth":{"enum":["paper","silk","oiled-silk"],"default":"paper"},"wear":{"type":"number","minimum":0,"maximum":1,"default":0}}},"starting":{"span":11,"cloth":"paper","wear":0}},"preference/invert-pitch":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"type":"boolean","default":false},"starting":false},"preference/subtitle-size":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"enum":["small","medium","large"],"default":"medium"},"starting":"medium"},"preference/map-detail":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"enum":["plain","contours","winds"],"default":"contours"},"starting":"contours"},"currency/feather":{"kind":"currency","about":"Found in thermals and spent in camps.","lasts":"always","player":"read","others":"none","starting":40,"floor":0,"ceiling":1000000},"currency/opal":{"kind":"currency","lasts":"always","player":"read","others":"none","starting":2,"floor":0,"ceiling":9007199254740991},"score/gorge-run":{"kind":"score","lasts":"always","player":"read","others":"none","better":"lower","counts":"best","public":true,"unit":"milliseconds","lowest":20000,"highest":3600000},"score/metres-climbed":{"kind":"score","lasts":"always","player":"read","others":"none","better":"higher","counts":"sum","public":true,"unit":"metres"},"score/longest-glide":{"kind":"score","lasts":"always","player":"read","others":"none","better":"higher","counts":"best","public":true,"unit":"metres"}},"tunables":{"thermal-strength":{"about":"How fast a thermal lifts a glider.","schema":{"type":"number","minimum":0.1,"maximum":5,"default":1},"starting":1},"storm-warning":{"schema":{"type":"boolean","default":false},"starting":false},"camp-note":{"schema":{"type":"string","default":""},"starting":""}}}', 1795616300692);
CREATE TABLE "operators" ("number" integer primary key autoincrement, "email" text not null unique, "name" text not null, "role" text not null, "password_hash" text not null, "created_at" bigint not null);
insert into "operators" values (1, 'tobin@highfell.example', 'Tobin', 'admin', '$argon2id$v=19$m=19456,t=2,p=1$kkaLF+EdSdnjCV6D54F5Ng$8RvEb82d8t1MesPIV4SAmAaX6Zkw8Enl+Zawo8nXNF8', 1795616300093);
CREATE TABLE "credentials" ("hash" text primary key, "hint" text, "sort" text not null, "environment" integer references "environments" ("number"), "operator" integer references "operators" ("number"), "created_at" bigint not null, "expires_at" bigint, "revoked_at" bigint);
insert into "credentials" values ('13tGVTq9kCeQlzzt919tslYBWC37cIjLRL17l0b-6VE', null, 'first-admin', null, null, 1795616299997, 1795619899996, 1795616300093);
insert into "credentials" values ('5363rqB1nAub77znqhaPgeP5eGasO6qJcL2YCd1QySQ', null, 'operator', null, 1, 1795616300097, 1796825900097, null);
insert into "credentials" values ('MmM4d98eM3_mV6a0JDWa0_tSL2SnpBDqJjWxwt8rBaY', 'vkh_83beMdJD', 'host-key', 1, null, 1795616300692, null, null);
insert into "credentials" values ('wfqigCCbwC70aUaKyk0vF5S9oUBbU0lsxNRc7OHQX3A', 'vkd_u_MBocEd', 'device-key', 1, null, 1795616300692, null, null);
CREATE TABLE "players" ("number" integer primary key autoincrement, "environment" integer not null references "environments" ("number"), "id" text not null, "name" text, "created_at" bigint not null, "first_joined_at" bigint, "last_joined_at" bigint, "last_left_at" bigint, "fence" integer not null, "seen" integer not null, constraint "one_player_an_id" unique ("environment", "id"));
insert into "players" values (1, 1, 'p-1', 'Maren', 1795616300756, 1795616300756, 1795616300756, 1795616300941, 1, 4);
insert into "players" values (2, 1, 'p-2', null, 1795616300949, 1795616300949, 1795616300949, null, 1, 2);
insert into "players" values (3, 1, 'p-3', null, 1795616300971, null, null, null, 0, 1);
CREATE TABLE "records" ("player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "seen" integer not null, "changed_at" bigint not null, constraint "records_key" primary key ("player", "key"));
insert into "records" values (1, 'progress/climbs', 4, '9', 4, 1795616300941);
insert into "records" values (1, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795616300756);
insert into "records" values (1, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[]}', 1, 1795616300756);
insert into "records" values (1, 'preference/invert-pitch', 1, 'false', 1, 1795616300756);
insert into "records" values (1, 'preference/subtitle-size', 1, '"medium"', 1, 1795616300756);
insert into "records" values (1, 'preference/map-detail', 1, '"contours"', 1, 1795616300756);
insert into "records" values (1, 'currency/feather', 4, '130', 4, 1795616300941);
insert into "records" values (1, 'currency/opal', 1, '2', 1, 1795616300756);
insert into "records" values (1, 'score/gorge-run', 3, '{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-25T14:18:20.906Z","latestAt":"2026-11-25T14:18:20.941Z"}', 4, 1795616300941);
insert into "records" values (2, 'progress/climbs', 2, '3', 2, 1795616300963);
insert into "records" values (2, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795616300949);
insert into "records" values (2, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[]}', 1, 1795616300949);
insert into "records" values (2, 'preference/invert-pitch', 1, 'false', 1, 1795616300949);
insert into "records" values (2, 'preference/subtitle-size', 1, '"medium"', 1, 1795616300949);
insert into "records" values (2, 'preference/map-detail', 1, '"contours"', 1, 1795616300949);
insert into "records" values (2, 'currency/feather', 2, '70', 2, 1795616300963);
insert into "records" values (2, 'currency/opal', 1, '2', 1, 1795616300949);
insert into "records" values (2, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T14:18:20.963Z","latestAt":"2026-11-25T14:18:20.963Z"}', 2, 1795616300963);
insert into "records" values (3, 'progress/climbs', 1, '17', 1, 1795616300971);
CREATE TABLE "history" ("player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "seen" integer not null, "at" bigint not null, "session" text, "label" text, constraint "history_key" primary key ("player", "key", "revision"));
insert into "history" values (1, 'progress/climbs', 1, '0', 1, 1795616300756, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "history" values (1, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795616300756, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "history" values (1, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[]}', 1, 1795616300756, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "history" values (1, 'preference/invert-pitch', 1, 'false', 1, 1795616300756, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "history" values (1, 'preference/subtitle-size', 1, '"medium"', 1, 1795616300756, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "history" values (1, 'preference/map-detail', 1, '"contours"', 1, 1795616300756, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "history" values (1, 'currency/feather', 1, '40', 1, 1795616300756, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "history" values (1, 'currency/opal', 1, '2', 1, 1795616300756, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "history" values (1, 'progress/climbs', 2, '3', 2, 1795616300906, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', 'climb');
insert into "history" values (1, 'currency/feather', 2, '70', 2, 1795616300906, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', 'climb');
insert into "history" values (1, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T14:18:20.906Z","latestAt":"2026-11-25T14:18:20.906Z"}', 2, 1795616300906, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', 'climb');
insert into "history" values (1, 'progress/climbs', 3, '6', 3, 1795616300934, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', 'climb');
insert into "history" values (1, 'currency/feather', 3, '100', 3, 1795616300934, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', 'climb');
insert into "history" values (1, 'score/gorge-run', 2, '{"latest":61250,"best":61250,"sum":122500,"count":2,"bestAt":"2026-11-25T14:18:20.906Z","latestAt":"2026-11-25T14:18:20.934Z"}', 3, 1795616300934, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', 'climb');
insert into "history" values (1, 'progress/climbs', 4, '9', 4, 1795616300941, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "history" values (1, 'currency/feather', 4, '130', 4, 1795616300941, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "history" values (1, 'score/gorge-run', 3, '{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-25T14:18:20.906Z","latestAt":"2026-11-25T14:18:20.941Z"}', 4, 1795616300941, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "history" values (2, 'progress/climbs', 1, '0', 1, 1795616300949, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "history" values (2, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795616300949, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "history" values (2, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[]}', 1, 1795616300949, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "history" values (2, 'preference/invert-pitch', 1, 'false', 1, 1795616300949, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "history" values (2, 'preference/subtitle-size', 1, '"medium"', 1, 1795616300949, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "history" values (2, 'preference/map-detail', 1, '"contours"', 1, 1795616300949, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "history" values (2, 'currency/feather', 1, '40', 1, 1795616300949, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "history" values (2, 'currency/opal', 1, '2', 1, 1795616300949, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "history" values (2, 'progress/climbs', 2, '3', 2, 1795616300963, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "history" values (2, 'currency/feather', 2, '70', 2, 1795616300963, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "history" values (2, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T14:18:20.963Z","latestAt":"2026-11-25T14:18:20.963Z"}', 2, 1795616300963, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "history" values (3, 'progress/climbs', 1, '17', 1, 1795616300971, null, null);
CREATE TABLE "ledger" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "key" text not null, "at" bigint not null, "amount" bigint not null, "balance" bigint not null, "reason" text not null, "count" integer not null, "session" text, "label" text);
insert into "ledger" values (1, 1, 'currency/feather', 1795616300756, 40, 40, 'starting value', 1, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "ledger" values (2, 1, 'currency/opal', 1795616300756, 2, 2, 'starting value', 1, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "ledger" values (3, 1, 'currency/feather', 1795616300906, 30, 70, 'climb', 1, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', 'climb');
insert into "ledger" values (4, 1, 'currency/feather', 1795616300934, 30, 100, 'climb', 1, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', 'climb');
insert into "ledger" values (5, 1, 'currency/feather', 1795616300941, 30, 130, 'climb', 1, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', null);
insert into "ledger" values (6, 2, 'currency/feather', 1795616300949, 40, 40, 'starting value', 1, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "ledger" values (7, 2, 'currency/opal', 1795616300949, 2, 2, 'starting value', 1, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
insert into "ledger" values (8, 2, 'currency/feather', 1795616300963, 30, 70, 'climb', 1, 'ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', null);
CREATE TABLE "host_instances" ("number" integer primary key autoincrement, "environment" integer not null references "environments" ("number"), "host" text not null, "instance" text not null, "seen_at" bigint not null, constraint "one_row_an_instance" unique ("environment", "host", "instance"));
CREATE TABLE "sessions" ("id" text primary key, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "host" text not null, "instance" text, "attempt" text, "fence" integer not null, "is_new" integer not null, "manifest_version" integer not null, "attributes" text not null, "joined_at" bigint not null, "seen_at_join" integer not null, "ended_at" bigint, "end" text, "seen_at_end" integer, "next_save" integer not null, "last_saved_at" bigint, "last_digest" text, "last_outcome" text, "leave_outcome" text);
insert into "sessions" values ('ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', 1, 1, 'ridge-eu-1', null, 'a', 1, 1, 1, '{}', 1795616300756, 1, 1795616300941, 'left', 4, 4, 1795616300941, 'vyj-hDbS4bXf_WlL6SWmJFqMqXOfI4UNvpExIhHhUV8', '{"number":3,"seen":4,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":4,"value":9},"currency/feather":{"revision":4,"value":130},"score/gorge-run":{"revision":3,"value":{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-25T14:18:20.906Z","latestAt":"2026-11-25T14:18:20.941Z"}}}}', '{"number":3,"seen":4,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":4,"value":9},"currency/feather":{"revision":4,"value":130},"score/gorge-run":{"revision":3,"value":{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-25T14:18:20.906Z","latestAt":"2026-11-25T14:18:20.941Z"}}}}');
insert into "sessions" values ('ses_fLHZySSWJNDPJkSTZrLQlajxzq8QkO4_', 1, 2, 'ridge-eu-1', null, null, 1, 1, 1, '{}', 1795616300949, 1, null, null, null, 2, 1795616300963, 'ht_fC3vfjb1NHxz66DGcTTPAaVJ3sqh3PEn4FCPHga8', '{"number":1,"seen":2,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":2,"value":3},"currency/feather":{"revision":2,"value":70},"score/gorge-run":{"revision":1,"value":{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T14:18:20.963Z","latestAt":"2026-11-25T14:18:20.963Z"}}}}', null);
CREATE TABLE "once_tokens" ("player" integer not null references "players" ("number"), "token" text not null, "at" bigint not null, constraint "once_tokens_key" primary key ("player", "token"));
insert into "once_tokens" values (1, 'once-1', 1795616300906);
insert into "once_tokens" values (1, 'once-2', 1795616300934);
CREATE TABLE "unsettled" ("id" text primary key, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "session" text not null, "host" text not null, "save_number" integer not null, "position" integer not null, "content" text not null, "reason" text not null, "detail" text not null, "at" bigint not null, constraint "unsettled_once" unique ("session", "save_number", "position"));
insert into "unsettled" values ('uns_FGq8MUF6JXHHElfmVsl6BT', 1, 1, 'ses_MH2LCJ40QRCdXm1KgI7c3zldFBWjl-7e', 'ridge-eu-1', 4, 0, '{"changes":[{"op":"increase","key":"progress/climbs","path":"","by":3},{"op":"credit","key":"currency/feather","amount":30,"reason":"climb"},{"op":"submit","key":"score/gorge-run","value":61250}]}', 'session-ended', 'The session ended at 2026-11-25T14:18:20.941Z: the player left. Join the player again to go on.', 1795616300988);
CREATE TABLE "activity" ("number" integer primary key autoincrement, "environment" integer not null references "environments" ("number"), "at" bigint not null, "what" text not null, "by" text, "player" text, "detail" text not null);
CREATE TABLE "tombstones" ("environment" integer not null references "environments" ("number"), "player" text not null, "erased_at" bigint not null, constraint "tombstones_key" primary key ("environment", "player", "erased_at"));
CREATE TABLE "probes" ("at" bigint not null);
insert into "probes" values (0);
CREATE INDEX "players_by_last_join" on "players" ("environment", "last_joined_at", "number");
CREATE INDEX "ledger_by_player" on "ledger" ("player", "key", "number");
CREATE INDEX "sessions_by_player" on "sessions" ("player", "fence");
CREATE UNIQUE INDEX "one_open_session_a_player" on "sessions" ("player") where "ended_at" is null;
CREATE INDEX "unsettled_by_environment" on "unsettled" ("environment", "at");
CREATE INDEX "activity_by_environment" on "activity" ("environment", "number");
CREATE INDEX "sessions_by_host" on "sessions" ("environment", "host", "joined_at");
