CREATE TABLE "kysely_migration" ("name" varchar(255) not null primary key, "timestamp" varchar(255) not null);
insert into "kysely_migration" values ('0001-first-slice', '2026-11-26T18:05:45.822Z');
insert into "kysely_migration" values ('0002-sessions-that-never-lose', '2026-11-26T18:05:45.827Z');
insert into "kysely_migration" values ('0003-changes-from-outside', '2026-11-26T18:05:45.829Z');
insert into "kysely_migration" values ('0004-manifests-over-time', '2026-11-26T18:05:45.839Z');
insert into "kysely_migration" values ('0005-games-on-devices', '2026-11-26T18:05:45.850Z');
insert into "kysely_migration" values ('0006-nothing-lost', '2026-11-26T18:05:45.857Z');
insert into "kysely_migration" values ('0007-nobody-stuck', '2026-11-26T18:05:45.871Z');
insert into "kysely_migration" values ('0008-a-million-players', '2026-11-26T18:05:45.879Z');
insert into "kysely_migration" values ('0009-boards', '2026-11-26T18:05:45.890Z');
insert into "kysely_migration" values ('0010-tuning', '2026-11-26T18:05:45.895Z');
insert into "kysely_migration" values ('0011-many-at-once', '2026-11-26T18:05:45.901Z');
insert into "kysely_migration" values ('0012-what-happened', '2026-11-26T18:05:45.905Z');
insert into "kysely_migration" values ('0013-tombstones-without-names', '2026-11-26T18:05:45.905Z');
insert into "kysely_migration" values ('0014-terms', '2026-11-26T18:05:45.908Z');
insert into "kysely_migration" values ('0015-found-by', '2026-11-26T18:05:45.911Z');
insert into "kysely_migration" values ('0016-accounts', '2026-11-26T18:05:45.922Z');
insert into "kysely_migration" values ('0017-operators', '2026-11-26T18:05:45.929Z');
CREATE TABLE "kysely_migration_lock" ("id" varchar(255) not null primary key, "is_locked" integer default 0 not null);
insert into "kysely_migration_lock" values ('migration_lock', 0);
CREATE TABLE "environments" ("number" integer primary key autoincrement, "game" text not null, "name" text not null, "is_live" integer not null, "lease_seconds" integer not null, "manifest_version" integer, "created_at" bigint not null, "learns" integer default 0 not null, "learned" integer default 0 not null, "origins" text, "designers_publish" integer default 0 not null, "terms" text, constraint "one_environment_a_name" unique ("game", "name"));
insert into "environments" values (1, 'highfell-gliders', 'dev', 0, 900, 1, 1795659680000, 0, 0, null, 0, null);
CREATE TABLE "manifests" ("environment" integer not null references "environments" ("number"), "version" integer not null, "source" text not null, "manifest" text not null, "installed_at" bigint not null, "by" text, constraint "manifests_key" primary key ("environment", "version"));
insert into "manifests" values (1, 1, '# What Highfell Gliders keeps for each pilot. docs/manifest.md goes through it line by line.
manifest: 1
game: highfell-gliders
title: Highfell Gliders

progress:
  climbs: 0 # short form: a number that starts at 0
  landings: { player: write, starting: 0, together: sum } # one that the player''s own device may write
  drift:
    about: A flight on the player''s own device, at /play. Nobody wins anything by forging it.
    lasts: run
    player: write
    schema:
      type: object
      additionalProperties: false
      properties:
        feathers: { type: integer, minimum: 0, default: 0 }
        metres: { type: number, minimum: 0, default: 0 }
        height: { type: number, minimum: 0, maximum: 1000, default: 320 }
        seconds: { type: number, minimum: 0, default: 0 }
  flight:
    about: How far the pilot has come in this run.
    lasts: run # starting over puts it back
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
    others: read
    schema:
      type: object
      additionalProperties: false
      properties:
        flights: { type: integer, minimum: 0, default: 0 }
        highest: { type: [number, ''null''], default: null, formerly: [top] }
        notes: { type: array, items: { type: string, maxLength: 200 }, maxItems: 100, default: [] }
        # A list of { value, at }: what is collected is stamped with the service''s time.
        camps:
          type: array
          maxItems: 200
          default: []
          items:
            type: object
            additionalProperties: false
            required: [value, at]
            properties:
              value: { type: string, pattern: ''^[a-z][a-z-]{0,40}$'' }
              at: { type: string, format: date-time }
  glider:
    about: A glider with a name of its own.
    family: { atMost: 6 }
    formerly: [craft] # what was stored or is sent under the old name means this one
    player: read
    schema:
      type: object
      additionalProperties: false
      properties:
        span: { type: number, minimum: 6, maximum: 24, default: 11 }
        cloth: { enum: [paper, silk, oiled-silk], default: paper }
        wear: { type: number, minimum: 0, maximum: 1, default: 0 }

currencies:
  feather:
    about: Found in thermals and spent in camps.
    starting: 40
    floor: 0
    ceiling: 1000000
    creditLimit: { atMost: 5000, per: hour } # no climb brings more, whoever says so
  opal: 2

items:
  silk-patch: { about: Mends a tear in the cloth., stack: 20 }
  flare: { about: Seen from the next camp., stack: 5 }
  wing:
    about: A pair of wings, each with a past.
    unique: true
    traits:
      type: object
      additionalProperties: false
      properties:
        maker: { type: string, maxLength: 60, default: unknown }
        lift: { type: number, minimum: 0.5, maximum: 2, default: 1 }
        mended: { type: integer, minimum: 0, default: 0 }

inventories:
  pack:
    about: What a pilot carries.
    lasts: run
    capacity: 24
    accepts: [silk-patch, flare, wing]
    starting: [{ item: silk-patch, count: 2 }]
  hangar:
    about: What waits at home.
    accepts: [wing]

preferences: # players may write their own, unless declared otherwise
  invert-pitch: false
  subtitle-size: { schema: { enum: [small, medium, large], default: medium } }
  map-detail: { schema: { enum: [plain, contours, winds], default: contours } }

boards:
  gorge-run:
    about: Through the gorge as fast as one can.
    better: lower
    counts: best
    unit: milliseconds
    lowest: 20000
    highest: 3600000
    season: weekly
    rewards: # given when a season closes, by the first line that fits
      - { ranks: [1, 3], changes: [{ op: credit, key: currency/opal, amount: 1 }] }
      - { share: 10, changes: [{ op: credit, key: currency/feather, amount: 150 }] }
  metres-climbed: { better: higher, counts: sum, unit: metres, season: monthly }
  longest-glide: { better: higher, counts: best, unit: metres, doubtful: { above: 90000 } }
  valley:
    about: A pilot''s own best times, one list for each valley.
    player: write # nobody else sees them
    family: { atMost: 12 }
    entries: 5
    better: lower
    counts: best
    unit: seconds
    lowest: 5
    public: false

checkpoints:
  atMost: 5
  by: player
  records: [progress/flight, progress/drift, progress/glider, currency/feather, inventory/pack, inventory/hangar]

attributes: # what audiences are matched by, beside what is sent at join
  chapter: { from: progress/flight, path: /chapter }
  flights: { from: progress/logbook, path: /flights }

tunables:
  thermal-strength:
    about: How fast a thermal lifts a glider.
    schema: { type: number, minimum: 0.1, maximum: 5, default: 1 }
  storm-warning: false
  camp-note: ''''
  trade-table:
    about: What the camps sell, and for how many feathers.
    schema:
      type: array
      maxItems: 50
      items:
        type: object
        additionalProperties: false
        required: [item, price]
        properties:
          item: { type: string, maxLength: 63 }
          price: { type: integer, minimum: 1 }
      default:
        - { item: silk-patch, price: 8 }
        - { item: flare, price: 20 }
', '{"game":"highfell-gliders","title":"Highfell Gliders","records":{"progress/climbs":{"kind":"progress","lasts":"always","player":"none","others":"none","schema":{"type":"number","default":0},"starting":0},"progress/landings":{"kind":"progress","lasts":"always","player":"write","others":"none","together":"sum","schema":{"type":"number","default":0},"starting":0},"progress/drift":{"kind":"progress","about":"A flight on the player''s own device, at /play. Nobody wins anything by forging it.","lasts":"run","player":"write","others":"none","schema":{"type":"object","additionalProperties":false,"properties":{"feathers":{"type":"integer","minimum":0,"default":0},"metres":{"type":"number","minimum":0,"default":0},"height":{"type":"number","minimum":0,"maximum":1000,"default":320},"seconds":{"type":"number","minimum":0,"default":0}}},"starting":{"feathers":0,"metres":0,"height":320,"seconds":0}},"progress/flight":{"kind":"progress","about":"How far the pilot has come in this run.","lasts":"run","player":"read","others":"none","schema":{"type":"object","additionalProperties":false,"properties":{"chapter":{"type":"integer","minimum":1,"maximum":40,"default":1},"charted":{"type":"array","items":{"type":"string","maxLength":60},"uniqueItems":true,"maxItems":200,"default":[]},"metres":{"type":"number","minimum":0,"default":0}}},"starting":{"chapter":1,"charted":[],"metres":0}},"progress/logbook":{"kind":"progress","about":"What a pilot keeps for ever, whatever becomes of the run.","lasts":"always","player":"read","others":"read","schema":{"type":"object","additionalProperties":false,"properties":{"flights":{"type":"integer","minimum":0,"default":0},"highest":{"type":["number","null"],"default":null,"formerly":["top"]},"notes":{"type":"array","items":{"type":"string","maxLength":200},"maxItems":100,"default":[]},"camps":{"type":"array","maxItems":200,"default":[],"items":{"type":"object","additionalProperties":false,"required":["value","at"],"properties":{"value":{"type":"string","pattern":"^[a-z][a-z-]{0,40}$"},"at":{"type":"string","format":"date-time"}}}}}},"starting":{"flights":0,"highest":null,"notes":[],"camps":[]}},"progress/glider":{"kind":"progress","about":"A glider with a name of its own.","formerly":["craft"],"lasts":"always","player":"read","others":"none","family":{"atMost":6},"schema":{"type":"object","additionalProperties":false,"properties":{"span":{"type":"number","minimum":6,"maximum":24,"default":11},"cloth":{"enum":["paper","silk","oiled-silk"],"default":"paper"},"wear":{"type":"number","minimum":0,"maximum":1,"default":0}}},"starting":{"span":11,"cloth":"paper","wear":0}},"preference/invert-pitch":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"type":"boolean","default":false},"starting":false},"preference/subtitle-size":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"enum":["small","medium","large"],"default":"medium"},"starting":"medium"},"preference/map-detail":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"enum":["plain","contours","winds"],"default":"contours"},"starting":"contours"},"currency/feather":{"kind":"currency","about":"Found in thermals and spent in camps.","lasts":"always","player":"read","others":"none","starting":40,"floor":0,"ceiling":1000000,"creditLimit":{"atMost":5000,"per":"hour"}},"currency/opal":{"kind":"currency","lasts":"always","player":"read","others":"none","starting":2,"floor":0,"ceiling":9007199254740991},"inventory/pack":{"kind":"inventory","about":"What a pilot carries.","lasts":"run","player":"read","others":"none","capacity":24,"accepts":["silk-patch","flare","wing"],"starting":{"stacks":{"silk-patch":2},"pieces":{}}},"inventory/hangar":{"kind":"inventory","about":"What waits at home.","lasts":"always","player":"read","others":"none","accepts":["wing"],"starting":{"stacks":{},"pieces":{}}},"score/gorge-run":{"kind":"score","about":"Through the gorge as fast as one can.","lasts":"always","player":"read","others":"none","better":"lower","counts":"best","season":"weekly","public":true,"rewards":[{"ranks":[1,3],"changes":[{"op":"credit","key":"currency/opal","amount":1}]},{"share":10,"changes":[{"op":"credit","key":"currency/feather","amount":150}]}],"unit":"milliseconds","lowest":20000,"highest":3600000},"score/metres-climbed":{"kind":"score","lasts":"always","player":"read","others":"none","better":"higher","counts":"sum","season":"monthly","public":true,"unit":"metres"},"score/longest-glide":{"kind":"score","lasts":"always","player":"read","others":"none","better":"higher","counts":"best","season":"none","public":true,"unit":"metres","doubtful":{"above":90000}},"score/valley":{"kind":"score","about":"A pilot''s own best times, one list for each valley.","lasts":"always","player":"write","others":"none","family":{"atMost":12},"better":"lower","counts":"best","season":"none","public":false,"unit":"seconds","lowest":5,"entries":5}},"items":{"silk-patch":{"about":"Mends a tear in the cloth.","stack":20},"flare":{"about":"Seen from the next camp.","stack":5},"wing":{"about":"A pair of wings, each with a past.","unique":true,"traits":{"type":"object","additionalProperties":false,"properties":{"maker":{"type":"string","maxLength":60,"default":"unknown"},"lift":{"type":"number","minimum":0.5,"maximum":2,"default":1},"mended":{"type":"integer","minimum":0,"default":0}}},"starting":{"maker":"unknown","lift":1,"mended":0}}},"tunables":{"thermal-strength":{"about":"How fast a thermal lifts a glider.","schema":{"type":"number","minimum":0.1,"maximum":5,"default":1},"starting":1},"storm-warning":{"schema":{"type":"boolean","default":false},"starting":false},"camp-note":{"schema":{"type":"string","default":""},"starting":""},"trade-table":{"about":"What the camps sell, and for how many feathers.","schema":{"type":"array","maxItems":50,"items":{"type":"object","additionalProperties":false,"required":["item","price"],"properties":{"item":{"type":"string","maxLength":63},"price":{"type":"integer","minimum":1}}},"default":[{"item":"silk-patch","price":8},{"item":"flare","price":20}]},"starting":[{"item":"silk-patch","price":8},{"item":"flare","price":20}]}},"attributes":{"chapter":{"from":"progress/flight","path":"/chapter"},"flights":{"from":"progress/logbook","path":"/flights"}},"checkpoints":{"atMost":5,"by":"player","records":["progress/flight","progress/drift","progress/glider","currency/feather","inventory/pack","inventory/hangar"]}}', 1795659680000, 'tobin@highfell.example');
CREATE TABLE "operators" ("number" integer primary key autoincrement, "email" text not null unique, "name" text not null, "role" text not null, "password_hash" text not null, "created_at" bigint not null, "disabled_at" bigint, "totp_secret" text, "totp_step" bigint, "recovery" text);
insert into "operators" values (1, 'tobin@highfell.example', 'Tobin', 'admin', '$argon2id$v=19$m=19456,t=2,p=1$P8ZrlGL6T14uFQgQ+ma+IA$2S8JuDiuwXfs3UVhYXooVi3HvHAgLQhuZ5y2EyIrZNw', 1795659680000, null, null, null, null);
CREATE TABLE "credentials" ("hash" text primary key, "hint" text, "sort" text not null, "environment" integer references "environments" ("number"), "operator" integer references "operators" ("number"), "created_at" bigint not null, "expires_at" bigint, "revoked_at" bigint, "device" integer, "used_at" bigint, "name" text, "scopes" text, "last_used_at" bigint, "last_used_from" text);
insert into "credentials" values ('BMMmwupEo1EJaxhAqJw7lT631FEuWLnHUkNegwOJSzA', null, 'first-admin', null, null, 1795659680000, 1795663280000, 1795659680000, null, null, null, null, null, null);
insert into "credentials" values ('mROU9qNroU8dCXTy3u8c8eiNo5DPzckNHvNzyd3aX8w', null, 'operator', null, 1, 1795659680000, 1796869280000, null, null, null, 'node', null, 1795659680000, '127.0.0.1');
insert into "credentials" values ('yx26_IlQddRh30cqRZzmwJNxeMzv0upugMYjqjAvVQw', 'vkh_1BwQjUEl', 'host-key', 1, null, 1795659680000, null, null, null, null, null, null, 1795659680000, '127.0.0.1');
insert into "credentials" values ('1BJpkYNyy_mNCQ83jYTQUv7eCQxdSt78moSqwpj6fBk', 'vkd_BfENy0zE', 'device-key', 1, null, 1795659680000, null, null, null, null, null, null, 1795659683000, '127.0.0.1');
insert into "credentials" values ('Hlbg-dlgZY9YXIfIrrx63WcLcqA7oqRr-g_US0nMFH0', null, 'device', 1, null, 1795659683000, 1798251683000, 1795659683000, 1, 1795659683000, null, null, null, null);
CREATE TABLE "players" ("number" integer primary key autoincrement, "environment" integer not null references "environments" ("number"), "id" text not null, "name" text, "created_at" bigint not null, "first_joined_at" bigint, "last_joined_at" bigint, "last_left_at" bigint, "fence" integer not null, "seen" integer not null, "folded" text default '' not null, constraint "one_player_an_id" unique ("environment", "id"));
insert into "players" values (1, 1, 'p-1', 'Maren', 1795659680000, 1795659680000, 1795659680000, 1795659683000, 1, 4, 'maren
p-1');
insert into "players" values (2, 1, 'p-2', null, 1795659683000, 1795659683000, 1795659683000, null, 1, 2, '
p-2');
insert into "players" values (3, 1, 'p-3', null, 1795659683000, null, null, null, 0, 1, '
p-3');
insert into "players" values (4, 1, 'p-0e89458bb26bd1e27d1f', null, 1795659683000, 1795659683000, 1795659683000, 1795659683000, 1, 2, '
p-0e89458bb26bd1e27d1f');
CREATE TABLE "records" ("player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "seen" integer not null, "changed_at" bigint not null, "removed" integer default 0 not null, constraint "records_key" primary key ("player", "key"));
insert into "records" values (1, 'progress/climbs', 4, '9', 4, 1795659683000, 0);
insert into "records" values (1, 'progress/landings', 1, '0', 1, 1795659680000, 0);
insert into "records" values (1, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795659680000, 0);
insert into "records" values (1, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795659680000, 0);
insert into "records" values (1, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795659680000, 0);
insert into "records" values (1, 'preference/invert-pitch', 1, 'false', 1, 1795659680000, 0);
insert into "records" values (1, 'preference/subtitle-size', 1, '"medium"', 1, 1795659680000, 0);
insert into "records" values (1, 'preference/map-detail', 1, '"contours"', 1, 1795659680000, 0);
insert into "records" values (1, 'currency/feather', 4, '130', 4, 1795659683000, 0);
insert into "records" values (1, 'currency/opal', 1, '2', 1, 1795659680000, 0);
insert into "records" values (1, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795659680000, 0);
insert into "records" values (1, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795659680000, 0);
insert into "records" values (1, 'score/gorge-run', 3, '{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-26T02:21:21.000Z","latestAt":"2026-11-26T02:21:23.000Z"}', 4, 1795659683000, 0);
insert into "records" values (2, 'progress/climbs', 2, '3', 2, 1795659683000, 0);
insert into "records" values (2, 'progress/landings', 1, '0', 1, 1795659683000, 0);
insert into "records" values (2, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795659683000, 0);
insert into "records" values (2, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795659683000, 0);
insert into "records" values (2, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795659683000, 0);
insert into "records" values (2, 'preference/invert-pitch', 1, 'false', 1, 1795659683000, 0);
insert into "records" values (2, 'preference/subtitle-size', 1, '"medium"', 1, 1795659683000, 0);
insert into "records" values (2, 'preference/map-detail', 1, '"contours"', 1, 1795659683000, 0);
insert into "records" values (2, 'currency/feather', 2, '70', 2, 1795659683000, 0);
insert into "records" values (2, 'currency/opal', 1, '2', 1, 1795659683000, 0);
insert into "records" values (2, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795659683000, 0);
insert into "records" values (2, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795659683000, 0);
insert into "records" values (2, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-26T02:21:23.000Z","latestAt":"2026-11-26T02:21:23.000Z"}', 2, 1795659683000, 0);
insert into "records" values (3, 'progress/climbs', 1, '17', 1, 1795659683000, 0);
insert into "records" values (4, 'progress/climbs', 1, '0', 1, 1795659683000, 0);
insert into "records" values (4, 'progress/landings', 2, '5', 2, 1795659683000, 0);
insert into "records" values (4, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795659683000, 0);
insert into "records" values (4, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795659683000, 0);
insert into "records" values (4, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795659683000, 0);
insert into "records" values (4, 'preference/invert-pitch', 1, 'false', 1, 1795659683000, 0);
insert into "records" values (4, 'preference/subtitle-size', 1, '"medium"', 1, 1795659683000, 0);
insert into "records" values (4, 'preference/map-detail', 1, '"contours"', 1, 1795659683000, 0);
insert into "records" values (4, 'currency/feather', 1, '40', 1, 1795659683000, 0);
insert into "records" values (4, 'currency/opal', 1, '2', 1, 1795659683000, 0);
insert into "records" values (4, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795659683000, 0);
insert into "records" values (4, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795659683000, 0);
CREATE TABLE "history" ("player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "seen" integer not null, "at" bigint not null, "session" text, "label" text, "removed" integer default 0 not null, "by" text, "follows" integer, "digest" text, constraint "history_key" primary key ("player", "key", "revision"));
insert into "history" values (1, 'progress/climbs', 1, '0', 1, 1795659680000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'bzjMFY65t6Ah');
insert into "history" values (1, 'progress/landings', 1, '0', 1, 1795659680000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'rGcCCqu_nvYM');
insert into "history" values (1, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795659680000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'Zyqt8riTMXV3');
insert into "history" values (1, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795659680000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'dWjbAAKCQI-i');
insert into "history" values (1, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795659680000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'gnhwLuAJLxHC');
insert into "history" values (1, 'preference/invert-pitch', 1, 'false', 1, 1795659680000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'D8VIfD1pZRCY');
insert into "history" values (1, 'preference/subtitle-size', 1, '"medium"', 1, 1795659680000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'nULvlwV6fh1o');
insert into "history" values (1, 'preference/map-detail', 1, '"contours"', 1, 1795659680000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'CXlMU69ORDzL');
insert into "history" values (1, 'currency/feather', 1, '40', 1, 1795659680000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'yq0vlUaTgw2j');
insert into "history" values (1, 'currency/opal', 1, '2', 1, 1795659680000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'FKtGwAGL4OUq');
insert into "history" values (1, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795659680000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'lrbDGhUBC1cM');
insert into "history" values (1, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795659680000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'dEPld-hqtbsE');
insert into "history" values (1, 'progress/climbs', 2, '3', 2, 1795659681000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 1, 'aDJrShLKRJcJ');
insert into "history" values (1, 'currency/feather', 2, '70', 2, 1795659681000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 1, '5-bl6jPoyeIF');
insert into "history" values (1, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-26T02:21:21.000Z","latestAt":"2026-11-26T02:21:21.000Z"}', 2, 1795659681000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 0, 'j8VLGD6XDJjS');
insert into "history" values (1, 'progress/climbs', 3, '6', 3, 1795659682000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 2, 'WescGrfqUrye');
insert into "history" values (1, 'currency/feather', 3, '100', 3, 1795659682000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 2, 'JSubjh69Gca4');
insert into "history" values (1, 'score/gorge-run', 2, '{"latest":61250,"best":61250,"sum":122500,"count":2,"bestAt":"2026-11-26T02:21:21.000Z","latestAt":"2026-11-26T02:21:22.000Z"}', 3, 1795659682000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 1, 'g9aKgBSHKoiF');
insert into "history" values (1, 'progress/climbs', 4, '9', 4, 1795659683000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 3, 'tBlWLJ3U3ffr');
insert into "history" values (1, 'currency/feather', 4, '130', 4, 1795659683000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 3, 'zryupJG8QuK3');
insert into "history" values (1, 'score/gorge-run', 3, '{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-26T02:21:21.000Z","latestAt":"2026-11-26T02:21:23.000Z"}', 4, 1795659683000, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 0, 'ridge-eu-1', 2, '3_HWJ9nKYTId');
insert into "history" values (2, 'progress/climbs', 1, '0', 1, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, 'AgAqNXudz6D-');
insert into "history" values (2, 'progress/landings', 1, '0', 1, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, 'n-lvaBHCGxWl');
insert into "history" values (2, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, '_9L9pi5o9LFL');
insert into "history" values (2, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, '_syDq6RmFS23');
insert into "history" values (2, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, 'VHnGN6c8QyFs');
insert into "history" values (2, 'preference/invert-pitch', 1, 'false', 1, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, 'DrGgRp1p0Cnc');
insert into "history" values (2, 'preference/subtitle-size', 1, '"medium"', 1, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, 'lhjud2FhJX0Q');
insert into "history" values (2, 'preference/map-detail', 1, '"contours"', 1, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, 'gPmb2LddloCE');
insert into "history" values (2, 'currency/feather', 1, '40', 1, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, 'hPqYhivta12q');
insert into "history" values (2, 'currency/opal', 1, '2', 1, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, 'ZKzkSFR7-gQE');
insert into "history" values (2, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, 'LSsH7k1op1Jd');
insert into "history" values (2, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, 'DbVWYCD7MQ4U');
insert into "history" values (2, 'progress/climbs', 2, '3', 2, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 1, 'yq9EcbhuJcy0');
insert into "history" values (2, 'currency/feather', 2, '70', 2, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 1, 'L72iKvj-lOU3');
insert into "history" values (2, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-26T02:21:23.000Z","latestAt":"2026-11-26T02:21:23.000Z"}', 2, 1795659683000, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 0, 'ridge-eu-1', 0, 'qQlP5RyWZxN9');
insert into "history" values (3, 'progress/climbs', 1, '17', 1, 1795659683000, null, null, 0, 'key vkh_1BwQjUEl…', 0, 'CrO51hBU1gP3');
insert into "history" values (4, 'progress/climbs', 1, '0', 1, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 0, 'a63vOssc4pM4');
insert into "history" values (4, 'progress/landings', 1, '0', 1, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 0, 'bzjqqvOyPOVk');
insert into "history" values (4, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 0, 'c3j8unEVp8AF');
insert into "history" values (4, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 0, 'sN4qmMg5ibxk');
insert into "history" values (4, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 0, 'H5TTWjnSLCAz');
insert into "history" values (4, 'preference/invert-pitch', 1, 'false', 1, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 0, 'TmKLJo6ml5ko');
insert into "history" values (4, 'preference/subtitle-size', 1, '"medium"', 1, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 0, 'Cx4kaWuU77P6');
insert into "history" values (4, 'preference/map-detail', 1, '"contours"', 1, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 0, 'zeE9MS59gCP1');
insert into "history" values (4, 'currency/feather', 1, '40', 1, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 0, 'UkClPr02QqeZ');
insert into "history" values (4, 'currency/opal', 1, '2', 1, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 0, 'H6tiRVWlGn6p');
insert into "history" values (4, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 0, 'xjZwdPWXG-z3');
insert into "history" values (4, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 0, 'XU1bFXGauuT5');
insert into "history" values (4, 'progress/landings', 2, '5', 2, 1795659683000, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 0, 'dev-9ce4ecb1b5002f5cc45d/tab', 1, 'oDdLAQT0ryYQ');
CREATE TABLE "ledger" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "key" text not null, "at" bigint not null, "amount" bigint not null, "balance" bigint not null, "reason" text not null, "count" integer not null, "session" text, "label" text, "by" text, "op" text);
insert into "ledger" values (1, 1, 'currency/feather', 1795659680000, 40, 40, 'starting value', 1, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 'ridge-eu-1', 'starting');
insert into "ledger" values (2, 1, 'currency/opal', 1795659680000, 2, 2, 'starting value', 1, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 'ridge-eu-1', 'starting');
insert into "ledger" values (3, 1, 'currency/feather', 1795659681000, 30, 70, 'climb', 1, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 'ridge-eu-1', 'credit');
insert into "ledger" values (4, 1, 'currency/feather', 1795659682000, 30, 100, 'climb', 1, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 'ridge-eu-1', 'credit');
insert into "ledger" values (5, 1, 'currency/feather', 1795659683000, 30, 130, 'climb', 1, 'ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', null, 'ridge-eu-1', 'credit');
insert into "ledger" values (6, 2, 'currency/feather', 1795659683000, 40, 40, 'starting value', 1, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 'ridge-eu-1', 'starting');
insert into "ledger" values (7, 2, 'currency/opal', 1795659683000, 2, 2, 'starting value', 1, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 'ridge-eu-1', 'starting');
insert into "ledger" values (8, 2, 'currency/feather', 1795659683000, 30, 70, 'climb', 1, 'ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', null, 'ridge-eu-1', 'credit');
insert into "ledger" values (9, 4, 'currency/feather', 1795659683000, 40, 40, 'starting value', 1, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 'dev-9ce4ecb1b5002f5cc45d/tab', 'starting');
insert into "ledger" values (10, 4, 'currency/opal', 1795659683000, 2, 2, 'starting value', 1, 'ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', null, 'dev-9ce4ecb1b5002f5cc45d/tab', 'starting');
CREATE TABLE "host_instances" ("number" integer primary key autoincrement, "environment" integer not null references "environments" ("number"), "host" text not null, "instance" text not null, "seen_at" bigint not null, constraint "one_row_an_instance" unique ("environment", "host", "instance"));
CREATE TABLE "sessions" ("id" text primary key, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "host" text not null, "instance" text, "attempt" text, "fence" integer not null, "is_new" integer not null, "manifest_version" integer not null, "attributes" text not null, "joined_at" bigint not null, "seen_at_join" integer not null, "ended_at" bigint, "end" text, "seen_at_end" integer, "next_save" integer not null, "last_saved_at" bigint, "last_digest" text, "last_outcome" text, "leave_outcome" text, "device" text, "answered" integer, "outcomes_from" integer, "outcomes_bytes" integer default 0 not null);
insert into "sessions" values ('ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', 1, 1, 'ridge-eu-1', null, null, 1, 1, 1, '{}', 1795659680000, 1, 1795659683000, 'left', 4, 4, 1795659683000, 'vyj-hDbS4bXf_WlL6SWmJFqMqXOfI4UNvpExIhHhUV8', '{"number":3,"seen":4,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":4,"value":9},"currency/feather":{"revision":4,"value":130},"score/gorge-run":{"revision":3,"value":{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-26T02:21:21.000Z","latestAt":"2026-11-26T02:21:23.000Z"}}}}[{"board":"gorge-run","player":1,"value":61250,"doubtful":false,"barred":false,"number":1,"season":1,"kept":false,"before":{"value":61250,"reached":1795659681000}}]', '{"number":3,"seen":4,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":4,"value":9},"currency/feather":{"revision":4,"value":130},"score/gorge-run":{"revision":3,"value":{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-26T02:21:21.000Z","latestAt":"2026-11-26T02:21:23.000Z"}}}}[{"board":"gorge-run","player":1,"value":61250,"doubtful":false,"barred":false,"number":1,"season":1,"kept":false,"before":{"value":61250,"reached":1795659681000}}]', null, null, 1, 940);
insert into "sessions" values ('ses_JoMBwx7a4vw56jpim0rpmPBWnDiOna-c', 1, 2, 'ridge-eu-1', null, null, 1, 1, 1, '{}', 1795659683000, 1, null, null, null, 2, 1795659683000, 'ht_fC3vfjb1NHxz66DGcTTPAaVJ3sqh3PEn4FCPHga8', '{"number":1,"seen":2,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":2,"value":3},"currency/feather":{"revision":2,"value":70},"score/gorge-run":{"revision":1,"value":{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-26T02:21:23.000Z","latestAt":"2026-11-26T02:21:23.000Z"}}}}[{"board":"gorge-run","player":2,"value":61250,"doubtful":false,"barred":false,"number":1,"season":1,"kept":true,"before":null}]', null, null, null, null, 0);
insert into "sessions" values ('ses_cZBs7SSRijt3AjXRegU2v2KPD-EHnz6B', 1, 4, 'dev-9ce4ecb1b5002f5cc45d/tab', null, null, 1, 1, 1, '{}', 1795659683000, 1, 1795659683000, 'left', 2, 2, 1795659683000, 'JW1lQ8W1Ukgm8bMo32_S0_gA8OX-JPWGT2ZYR1r8_o0', '{"number":1,"seen":2,"transactions":[{"applied":true}],"records":{"progress/landings":{"revision":2,"value":5}}}', '{"number":1,"seen":2,"transactions":[{"applied":true}],"records":{"progress/landings":{"revision":2,"value":5}}}', 'dev-9ce4ecb1b5002f5cc45d', null, null, 0);
CREATE TABLE "once_tokens" ("player" integer not null references "players" ("number"), "token" text not null, "at" bigint not null, constraint "once_tokens_key" primary key ("player", "token"));
CREATE TABLE "tombstones" ("environment" integer not null references "environments" ("number"), "player" text not null, "erased_at" bigint not null, constraint "tombstones_key" primary key ("environment", "player", "erased_at"));
CREATE TABLE "probes" ("at" bigint not null, "filler" text);
insert into "probes" values (1795659680000, null);
CREATE TABLE "outside_requests" ("environment" integer not null references "environments" ("number"), "token" text not null, "digest" text not null, "outcome" text not null, "at" bigint not null, "player" integer, constraint "outside_requests_key" primary key ("environment", "token"));
CREATE TABLE "learned" ("environment" integer not null references "environments" ("number"), "section" text not null, "name" text not null, "declaration" text not null, "at" bigint not null, "by" text, constraint "learned_key" primary key ("environment", "section", "name"));
CREATE TABLE "trash" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "at" bigint not null, "why" text not null, "by" text, "session" text, "label" text);
CREATE TABLE "devices" ("number" integer primary key autoincrement, "id" text not null unique, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "secret_hash" text not null, "name" text, "created_at" bigint not null, "revoked_at" bigint, constraint "one_device_a_secret" unique ("environment", "secret_hash"));
insert into "devices" values (1, 'dev-9ce4ecb1b5002f5cc45d', 1, 4, 'ZexwCbDePx8Y9-c5kPx7AMNZo5QAhQYG2ffARfpnBDQ', null, 1795659683000, null);
CREATE TABLE "checkpoints" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "name" text not null, "summary" text, "at" bigint not null, "by" text, "by_operator" integer default 0 not null, "seen" integer not null, "records" text not null, "given_up_at" bigint);
CREATE TABLE "outside_changes" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "seen" integer not null, "at" bigint not null, "content" text not null);
CREATE TABLE "save_outcomes" ("session" text not null references "sessions" ("id"), "number" integer not null, "digest" text not null, "outcome" text not null, "bytes" integer not null, constraint "save_outcomes_key" primary key ("session", "number"));
insert into "save_outcomes" values ('ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', 1, 'ht_fC3vfjb1NHxz66DGcTTPAaVJ3sqh3PEn4FCPHga8', '{"number":1,"seen":2,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":2,"value":3},"currency/feather":{"revision":2,"value":70},"score/gorge-run":{"revision":1,"value":{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-26T02:21:21.000Z","latestAt":"2026-11-26T02:21:21.000Z"}}}}[{"board":"gorge-run","player":1,"value":61250,"doubtful":false,"barred":false,"number":1,"season":1,"kept":true,"before":null}]', 451);
insert into "save_outcomes" values ('ses_IlB3L_eIbnAbaLwZEVV_boATJeo5oNTX', 2, 'ht_fC3vfjb1NHxz66DGcTTPAaVJ3sqh3PEn4FCPHga8', '{"number":2,"seen":3,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":3,"value":6},"currency/feather":{"revision":3,"value":100},"score/gorge-run":{"revision":2,"value":{"latest":61250,"best":61250,"sum":122500,"count":2,"bestAt":"2026-11-26T02:21:21.000Z","latestAt":"2026-11-26T02:21:22.000Z"}}}}[{"board":"gorge-run","player":1,"value":61250,"doubtful":false,"barred":false,"number":1,"season":1,"kept":false,"before":{"value":61250,"reached":1795659681000}}]', 489);
CREATE TABLE "commits" ("number" bigint not null, "at" bigint not null);
insert into "commits" values (22, 1795659683000);
CREATE TABLE "unsettled" ("id" text primary key, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "likeness" text, "session" text not null, "host" text not null, "save_number" integer not null, "content" text not null, "reason" text not null, "detail" text not null, "first_at" bigint not null, "last_at" bigint not null, "count" integer not null, "bytes" integer not null, constraint "unsettled_alike" unique ("player", "likeness"));
CREATE TABLE "unsettled_sums" ("environment" integer not null references "environments" ("number"), "reason" text not null, "host" text not null, "unlike" integer not null, "transactions" integer not null, constraint "unsettled_sums_key" primary key ("environment", "reason", "host"));
CREATE TABLE "unsettled_of_players" ("player" integer primary key references "players" ("number"), "environment" integer not null references "environments" ("number"), "unlike" integer not null, "transactions" integer not null, "bytes" integer not null);
CREATE TABLE "late_saves" ("session" text not null references "sessions" ("id"), "number" integer not null, "digest" text not null, "unsettled" text not null, "at" bigint not null, constraint "late_saves_key" primary key ("session", "number", "digest"));
CREATE TABLE "written_by_players" ("player" integer primary key references "players" ("number"), "hour" integer not null, "bytes" integer not null);
insert into "written_by_players" values (4, 498794, 313);
CREATE TABLE "activity" ("number" integer primary key autoincrement, "environment" integer references "environments" ("number"), "at" bigint not null, "what" text not null, "by" text, "player" text, "detail" text not null, "until" bigint);
insert into "activity" values (1, 1, 1795659680000, 'joined', 'ridge-eu-1', 'p-1', 'new', 1798251680000);
insert into "activity" values (2, 1, 1795659683000, 'left', 'ridge-eu-1', 'p-1', 'after 3 saves', 1798251683000);
insert into "activity" values (3, 1, 1795659683000, 'joined', 'ridge-eu-1', 'p-2', 'new', 1798251683000);
insert into "activity" values (4, 1, 1795659683000, 'account-made', 'dev-9ce4ecb1b5002f5cc45d', 'p-0e89458bb26bd1e27d1f', '', 1830219683000);
insert into "activity" values (5, 1, 1795659683000, 'joined', 'dev-9ce4ecb1b5002f5cc45d/tab', 'p-0e89458bb26bd1e27d1f', 'new', 1798251683000);
insert into "activity" values (6, 1, 1795659683000, 'left', 'dev-9ce4ecb1b5002f5cc45d/tab', 'p-0e89458bb26bd1e27d1f', 'after 1 save', 1798251683000);
CREATE TABLE "credited" ("player" integer not null references "players" ("number"), "key" text not null, "minute" integer not null, "amount" bigint not null, constraint "credited_key" primary key ("player", "key", "minute"));
insert into "credited" values (1, 'currency/feather', 29927661, 90);
insert into "credited" values (2, 'currency/feather', 29927661, 30);
CREATE TABLE "boards" ("number" integer primary key autoincrement, "environment" integer not null, "key" text not null, "created_at" integer not null, constraint "boards_by_key" unique ("environment", "key"));
insert into "boards" values (1, 1, 'gorge-run', 1795659680000);
insert into "boards" values (2, 1, 'metres-climbed', 1795659680000);
insert into "boards" values (3, 1, 'longest-glide', 1795659680000);
CREATE TABLE "seasons" ("board" integer not null, "number" integer not null, "season" text not null, "better" text not null, "counts" text not null, "opened_at" integer not null, "turns_at" integer, "turned_at" integer, "closes_at" integer, "closed_at" integer, "closed_by" text, "reason" text, "standings" integer default 0 not null, "rewards" text, "ranked" integer default 0 not null, "given" integer default 0 not null, "done_at" integer, constraint "seasons_key" primary key ("board", "number"));
insert into "seasons" values (1, 1, 'weekly', 'lower', 'best', 1795659680000, 1795996800000, null, null, null, null, null, 2, null, 0, 0, null);
insert into "seasons" values (2, 1, 'monthly', 'higher', 'sum', 1795659680000, 1796083200000, null, null, null, null, null, 0, null, 0, 0, null);
insert into "seasons" values (3, 1, 'none', 'higher', 'best', 1795659680000, null, null, null, null, null, null, 0, null, 0, 0, null);
CREATE TABLE "standings" ("board" integer not null, "season" integer not null, "player" integer not null, "value" real not null, "worth" real not null, "reached" integer not null, "rank" integer, constraint "standings_key" primary key ("board", "season", "player"));
insert into "standings" values (1, 1, 1, 61250, 61250, 1795659681000, null);
insert into "standings" values (1, 1, 2, 61250, 61250, 1795659683000, null);
CREATE TABLE "set_aside" ("board" integer not null, "season" integer not null, "player" integer not null, "value" real not null, "reached" integer not null, "why" text not null, "reason" text not null, "by" text not null, "at" integer not null, constraint "set_aside_key" primary key ("board", "season", "player"));
CREATE TABLE "barred" ("board" integer not null, "player" integer not null, "reason" text not null, "by" text not null, "at" integer not null, constraint "barred_key" primary key ("board", "player"));
CREATE TABLE "doubtful" ("number" integer primary key autoincrement, "environment" integer not null, "board" integer not null, "key" text not null, "player" integer not null, "value" real not null, "at" integer not null, "name" text, "note" text, "session" text, "host" text, "save_number" integer, "before" text not null, "state" text not null, "decided_at" integer, "decided_by" text, "reason" text);
CREATE TABLE "rewards" ("board" integer not null, "season" integer not null, "player" integer not null, "rank" integer not null, "line" integer not null, "at" integer not null, "problem" text, constraint "rewards_key" primary key ("board", "season", "player"));
CREATE TABLE "editions" ("environment" integer not null, "number" integer not null, "content" text not null, "differences" text not null, "note" text not null, "at" bigint not null, "by" text not null, "reissue_of" integer, constraint "editions_key" primary key ("environment", "number"));
CREATE TABLE "drafts" ("environment" integer primary key, "revision" integer not null, "edits" text not null, "edges_until" bigint not null);
CREATE TABLE "draft_changes" ("environment" integer not null, "revision" integer not null, "tunable" text not null, "words" text not null, "by" text not null, "at" bigint not null, constraint "draft_changes_key" primary key ("environment", "revision"));
CREATE TABLE "testers" ("environment" integer not null, "player" text not null, constraint "testers_key" primary key ("environment", "player"));
CREATE TABLE "trial_players" ("environment" integer not null, "trial" text not null, "player" integer not null, "value" integer not null, "since" bigint not null, constraint "trial_players_key" primary key ("environment", "trial", "player"));
CREATE TABLE "tunables_asked" ("environment" integer not null, "tunable" text not null, "build" text not null, "at" bigint not null, constraint "tunables_asked_key" primary key ("environment", "tunable", "build"));
CREATE TABLE "gifts" ("number" integer primary key autoincrement, "environment" integer not null, "content" text not null, "audience" text not null, "label" text not null, "state" text not null, "until" bigint not null, "after" bigint not null, "asked" integer not null, "given" integer not null, "refused" integer not null, "taken_back" integer not null, "kept" integer not null, "at" bigint not null, "by" text not null, "ended_at" bigint);
CREATE TABLE "gift_players" ("gift" integer not null, "place" bigint not null, "player" integer, "id" text not null, "state" text not null, "problem" text, "back" text, constraint "gift_players_key" primary key ("gift", "place"));
CREATE TABLE "pruned" ("environment" integer not null, "what" text not null, "rows" bigint not null, "at" bigint not null, constraint "pruned_key" primary key ("environment", "what"));
CREATE TABLE "found_by" ("number" integer primary key autoincrement, "environment" integer not null, "of" text not null, "through" bigint not null, "ready_at" bigint, "dropped_at" bigint);
CREATE TABLE "found_values" ("found_by" integer not null, "player" bigint not null, "value" double precision, "text" text, constraint "found_values_key" primary key ("found_by", "player"));
CREATE TABLE "accounts" ("number" integer primary key autoincrement, "environment" integer not null, "player" bigint not null unique, "email" text not null, "folded_email" text not null, "confirmed_at" bigint, "password_hash" text not null, "created_at" bigint not null, "disabled_at" bigint);
insert into "accounts" values (1, 1, 4, 'maren@highfell.example', 'maren@highfell.example', null, '$argon2id$v=19$m=19456,t=2,p=1$f7/6WigxIsFr861d9vPNXA$1myn7vxNhVtr6K4+uU5e4JTZItLviyawfW31qvql0K0', 1795659683000, null);
CREATE TABLE "account_links" ("hash" text primary key, "account" integer not null, "sort" text not null, "email" text not null, "created_at" bigint not null, "expires_at" bigint not null, "used_at" bigint);
insert into "account_links" values ('yOot_UjZO9Yf0W8muRGeYfr-X4Pd_lwpNPLTtm0thv4', 1, 'confirm', 'maren@highfell.example', 1795659683000, 1796264483000, null);
CREATE TABLE "sign_ins" ("id" text primary key, "account" integer not null, "device" bigint not null, "created_at" bigint not null, "opened_at" bigint, "used_at" bigint not null, "address" text not null, "ended_at" bigint);
insert into "sign_ins" values ('sig_ZuXbfp4G8YKHsGTexZoQGl77ZpzJhiNm', 1, 1, 1795659683000, 1795659683000, 1795659683000, '127.0.0.1', null);
CREATE TABLE "refresh_tokens" ("hash" text primary key, "sign_in" text not null, "created_at" bigint not null, "expires_at" bigint not null, "used_at" bigint, "next" text);
insert into "refresh_tokens" values ('mYP78UOryJXkVJOVC3dlwQctfPZ42NtHmtdse0qoQzQ', 'sig_ZuXbfp4G8YKHsGTexZoQGl77ZpzJhiNm', 1795659683000, 1800843683000, null, null);
CREATE TABLE "signing_keys" ("id" text primary key, "key" text not null, "created_at" bigint not null);
insert into "signing_keys" values ('key-6f9a1b9f7c6c5ba675e4', '{"crv":"Ed25519","d":"Ri_5Z2qLIr18gundrHFN2AMpl-PsEQPPlJCaG67dI90","x":"1PLggX2lOYAz6AT6D7WkqwM8ZPBTlCxm7KCqbkZcwXU","kty":"OKP"}', 1795659683000);
CREATE TABLE "operator_roles" ("operator" integer not null, "environment" integer not null, "role" text not null, constraint "operator_roles_key" primary key ("operator", "environment"));
CREATE TABLE "invitations" ("hash" text primary key, "email" text not null, "role" text not null, "roles" text not null, "by" text not null, "created_at" bigint not null, "expires_at" bigint not null, "used_at" bigint);
CREATE INDEX "ledger_by_player" on "ledger" ("player", "key", "number");
CREATE INDEX "sessions_by_player" on "sessions" ("player", "fence");
CREATE UNIQUE INDEX "one_open_session_a_player" on "sessions" ("player") where "ended_at" is null;
CREATE INDEX "sessions_by_host" on "sessions" ("environment", "host", "joined_at");
CREATE INDEX "trash_by_player" on "trash" ("player", "number");
CREATE INDEX "trash_by_time" on "trash" ("at");
CREATE INDEX "devices_by_player" on "devices" ("player");
CREATE INDEX "credentials_by_device" on "credentials" ("device");
CREATE UNIQUE INDEX "one_checkpoint_a_name" on "checkpoints" ("player", "name") where "given_up_at" is null;
CREATE INDEX "outside_changes_by_player" on "outside_changes" ("player", "seen");
CREATE INDEX "checkpoints_by_player" on "checkpoints" ("player", "number");
CREATE INDEX "outside_requests_by_player" on "outside_requests" ("player");
CREATE INDEX "unsettled_by_time" on "unsettled" ("environment", "last_at", "id");
CREATE INDEX "unsettled_by_reason" on "unsettled" ("environment", "reason", "last_at", "id");
CREATE INDEX "unsettled_by_host" on "unsettled" ("environment", "host", "last_at", "id");
CREATE INDEX "unsettled_by_player" on "unsettled" ("player", "last_at", "id");
CREATE INDEX "unsettled_of_players_by_count" on "unsettled_of_players" ("environment", "transactions");
CREATE INDEX "late_saves_by_time" on "late_saves" ("at");
CREATE INDEX "activity_by_environment" on "activity" ("environment", "number");
CREATE INDEX "activity_by_player" on "activity" ("environment", "player", "number");
CREATE INDEX "credited_by_minute" on "credited" ("minute");
CREATE INDEX "credits_by_time" on "ledger" ("player", "key", "at", "amount") where "op" = 'credit';
CREATE INDEX players_by_joined on players (environment, (coalesce(last_joined_at, 0)), number);
CREATE INDEX "players_by_number" on "players" ("environment", "number");
CREATE INDEX "players_by_folded" on "players" ("environment", "folded");
CREATE INDEX "once_tokens_by_time" on "once_tokens" ("at");
CREATE INDEX "outside_requests_by_time" on "outside_requests" ("at");
CREATE INDEX "checkpoints_given_up" on "checkpoints" ("given_up_at") where given_up_at is not null;
CREATE INDEX "sessions_by_end" on "sessions" ("ended_at") where ended_at is not null;
CREATE INDEX "answers_by_end" on "sessions" ("ended_at") where ended_at is not null and (last_outcome is not null or leave_outcome is not null);
CREATE INDEX "credentials_by_end" on "credentials" ("sort", "expires_at");
CREATE INDEX "credentials_by_revocation" on "credentials" ("sort", "revoked_at");
CREATE INDEX "standings_in_order" on "standings" ("board", "season", "worth", "reached", "player");
CREATE INDEX "standings_by_player" on "standings" ("player");
CREATE INDEX "set_aside_by_player" on "set_aside" ("player");
CREATE INDEX "barred_by_player" on "barred" ("player");
CREATE INDEX "doubtful_by_time" on "doubtful" ("environment", "state", "number");
CREATE INDEX "doubtful_by_player" on "doubtful" ("player");
CREATE INDEX "rewards_by_player" on "rewards" ("player");
CREATE INDEX "standings_by_rank" on "standings" ("board", "season", "rank") where rank is not null;
CREATE INDEX "seasons_to_turn" on "seasons" ("turns_at") where turned_at is null and turns_at is not null;
CREATE INDEX "seasons_to_close" on "seasons" ("closes_at") where closed_at is null and closes_at is not null;
CREATE INDEX "seasons_to_finish" on "seasons" ("closed_at") where closed_at is not null and done_at is null;
CREATE INDEX "trials_of_player" on "trial_players" ("player");
CREATE INDEX "trial_players_by_time" on "trial_players" ("since");
CREATE INDEX "gifts_by_environment" on "gifts" ("environment", "number");
CREATE INDEX "gift_players_by_state" on "gift_players" ("gift", "state", "place");
CREATE INDEX "gifts_of_player" on "gift_players" ("player");
CREATE INDEX "activity_by_end" on "activity" ("until");
CREATE INDEX "activity_by_what" on "activity" ("environment", "what", "number");
CREATE INDEX "activity_by_whom" on "activity" ("environment", "by", "number");
CREATE INDEX "found_by_environment" on "found_by" ("environment", "number");
CREATE INDEX "found_values_by_value" on "found_values" ("found_by", "value", "player");
CREATE INDEX "found_values_by_text" on "found_values" ("found_by", "text", "player");
CREATE INDEX "found_values_of_player" on "found_values" ("player");
CREATE INDEX "accounts_by_email" on "accounts" ("environment", "folded_email", "number");
CREATE INDEX "account_links_of_account" on "account_links" ("account", "sort");
CREATE INDEX "account_links_by_end" on "account_links" ("expires_at");
CREATE INDEX "sign_ins_of_account" on "sign_ins" ("account", "created_at");
CREATE INDEX "sign_ins_of_device" on "sign_ins" ("device");
CREATE INDEX "sign_ins_by_end" on "sign_ins" ("ended_at");
CREATE INDEX "refresh_tokens_of_sign_in" on "refresh_tokens" ("sign_in");
CREATE INDEX "refresh_tokens_by_end" on "refresh_tokens" ("expires_at");
CREATE INDEX "credentials_of_operator" on "credentials" ("operator", "created_at");
