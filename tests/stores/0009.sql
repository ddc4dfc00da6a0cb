CREATE TABLE "kysely_migration" ("name" varchar(255) not null primary key, "timestamp" varchar(255) not null);
insert into "kysely_migration" values ('0001-first-slice', '2026-11-26T02:21:20.770Z');
insert into "kysely_migration" values ('0002-sessions-that-never-lose', '2026-11-26T02:21:20.776Z');
insert into "kysely_migration" values ('0003-changes-from-outside', '2026-11-26T02:21:20.778Z');
insert into "kysely_migration" values ('0004-manifests-over-time', '2026-11-26T02:21:20.790Z');
insert into "kysely_migration" values ('0005-games-on-devices', '2026-11-26T02:21:20.805Z');
insert into "kysely_migration" values ('0006-nothing-lost', '2026-11-26T02:21:20.814Z');
insert into "kysely_migration" values ('0007-nobody-stuck', '2026-11-26T02:21:20.831Z');
insert into "kysely_migration" values ('0008-a-million-players', '2026-11-26T02:21:20.840Z');
insert into "kysely_migration" values ('0009-boards', '2026-11-26T02:21:20.853Z');
CREATE TABLE "kysely_migration_lock" ("id" varchar(255) not null primary key, "is_locked" integer default 0 not null);
insert into "kysely_migration_lock" values ('migration_lock', 0);
CREATE TABLE "environments" ("number" integer primary key autoincrement, "game" text not null, "name" text not null, "is_live" integer not null, "lease_seconds" integer not null, "manifest_version" integer, "created_at" bigint not null, "learns" integer default 0 not null, "learned" integer default 0 not null, "origins" text, constraint "one_environment_a_name" unique ("game", "name"));
insert into "environments" values (1, 'highfell-gliders', 'dev', 0, 900, 1, 1795659682618, 0, 0, null);
CREATE TABLE "manifests" ("environment" integer not null references "environments" ("number"), "version" integer not null, "source" text not null, "manifest" text not null, "installed_at" bigint not null, "by" text, constraint "manifests_key" primary key ("environment", "version"));
insert into "manifests" values (1, 1, '# What Highfell Gliders keeps for each pilot. docs/manifest.md goes through it line by line.
manifest: 1
game: highfell-gliders
title: Highfell Gliders

progress:
  climbs: 0 # short form: a number that starts at 0
  landings: { player: write, starting: 0 } # one that the player''s own device may write
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
', '{"game":"highfell-gliders","title":"Highfell Gliders","records":{"progress/climbs":{"kind":"progress","lasts":"always","player":"none","others":"none","schema":{"type":"number","default":0},"starting":0},"progress/landings":{"kind":"progress","lasts":"always","player":"write","others":"none","schema":{"type":"number","default":0},"starting":0},"progress/drift":{"kind":"progress","about":"A flight on the player''s own device, at /play. Nobody wins anything by forging it.","lasts":"run","player":"write","others":"none","schema":{"type":"object","additionalProperties":false,"properties":{"feathers":{"type":"integer","minimum":0,"default":0},"metres":{"type":"number","minimum":0,"default":0},"height":{"type":"number","minimum":0,"maximum":1000,"default":320},"seconds":{"type":"number","minimum":0,"default":0}}},"starting":{"feathers":0,"metres":0,"height":320,"seconds":0}},"progress/flight":{"kind":"progress","about":"How far the pilot has come in this run.","lasts":"run","player":"read","others":"none","schema":{"type":"object","additionalProperties":false,"properties":{"chapter":{"type":"integer","minimum":1,"maximum":40,"default":1},"charted":{"type":"array","items":{"type":"string","maxLength":60},"uniqueItems":true,"maxItems":200,"default":[]},"metres":{"type":"number","minimum":0,"default":0}}},"starting":{"chapter":1,"charted":[],"metres":0}},"progress/logbook":{"kind":"progress","about":"What a pilot keeps for ever, whatever becomes of the run.","lasts":"always","player":"read","others":"read","schema":{"type":"object","additionalProperties":false,"properties":{"flights":{"type":"integer","minimum":0,"default":0},"highest":{"type":["number","null"],"default":null,"formerly":["top"]},"notes":{"type":"array","items":{"type":"string","maxLength":200},"maxItems":100,"default":[]},"camps":{"type":"array","maxItems":200,"default":[],"items":{"type":"object","additionalProperties":false,"required":["value","at"],"properties":{"value":{"type":"string","pattern":"^[a-z][a-z-]{0,40}$"},"at":{"type":"string","format":"date-time"}}}}}},"starting":{"flights":0,"highest":null,"notes":[],"camps":[]}},"progress/glider":{"kind":"progress","about":"A glider with a name of its own.","formerly":["craft"],"lasts":"always","player":"read","others":"none","family":{"atMost":6},"schema":{"type":"object","additionalProperties":false,"properties":{"span":{"type":"number","minimum":6,"maximum":24,"default":11},"cloth":{"enum":["paper","silk","oiled-silk"],"default":"paper"},"wear":{"type":"number","minimum":0,"maximum":1,"default":0}}},"starting":{"span":11,"cloth":"paper","wear":0}},"preference/invert-pitch":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"type":"boolean","default":false},"starting":false},"preference/subtitle-size":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"enum":["small","medium","large"],"default":"medium"},"starting":"medium"},"preference/map-detail":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"enum":["plain","contours","winds"],"default":"contours"},"starting":"contours"},"currency/feather":{"kind":"currency","about":"Found in thermals and spent in camps.","lasts":"always","player":"read","others":"none","starting":40,"floor":0,"ceiling":1000000,"creditLimit":{"atMost":5000,"per":"hour"}},"currency/opal":{"kind":"currency","lasts":"always","player":"read","others":"none","starting":2,"floor":0,"ceiling":9007199254740991},"inventory/pack":{"kind":"inventory","about":"What a pilot carries.","lasts":"run","player":"read","others":"none","capacity":24,"accepts":["silk-patch","flare","wing"],"starting":{"stacks":{"silk-patch":2},"pieces":{}}},"inventory/hangar":{"kind":"inventory","about":"What waits at home.","lasts":"always","player":"read","others":"none","accepts":["wing"],"starting":{"stacks":{},"pieces":{}}},"score/gorge-run":{"kind":"score","about":"Through the gorge as fast as one can.","lasts":"always","player":"read","others":"none","better":"lower","counts":"best","season":"weekly","public":true,"rewards":[{"ranks":[1,3],"changes":[{"op":"credit","key":"currency/opal","amount":1}]},{"share":10,"changes":[{"op":"credit","key":"currency/feather","amount":150}]}],"unit":"milliseconds","lowest":20000,"highest":3600000},"score/metres-climbed":{"kind":"score","lasts":"always","player":"read","others":"none","better":"higher","counts":"sum","season":"monthly","public":true,"unit":"metres"},"score/longest-glide":{"kind":"score","lasts":"always","player":"read","others":"none","better":"higher","counts":"best","season":"none","public":true,"unit":"metres","doubtful":{"above":90000}},"score/valley":{"kind":"score","about":"A pilot''s own best times, one list for each valley.","lasts":"always","player":"write","others":"none","family":{"atMost":12},"better":"lower","counts":"best","season":"none","public":false,"unit":"seconds","lowest":5,"entries":5}},"items":{"silk-patch":{"about":"Mends a tear in the cloth.","stack":20},"flare":{"about":"Seen from the next camp.","stack":5},"wing":{"about":"A pair of wings, each with a past.","unique":true,"traits":{"type":"object","additionalProperties":false,"properties":{"maker":{"type":"string","maxLength":60,"default":"unknown"},"lift":{"type":"number","minimum":0.5,"maximum":2,"default":1},"mended":{"type":"integer","minimum":0,"default":0}}},"starting":{"maker":"unknown","lift":1,"mended":0}}},"tunables":{"thermal-strength":{"about":"How fast a thermal lifts a glider.","schema":{"type":"number","minimum":0.1,"maximum":5,"default":1},"starting":1},"storm-warning":{"schema":{"type":"boolean","default":false},"starting":false},"camp-note":{"schema":{"type":"string","default":""},"starting":""},"trade-table":{"about":"What the camps sell, and for how many feathers.","schema":{"type":"array","maxItems":50,"items":{"type":"object","additionalProperties":false,"required":["item","price"],"properties":{"item":{"type":"string","maxLength":63},"price":{"type":"integer","minimum":1}}},"default":[{"item":"silk-patch","price":8},{"item":"flare","price":20}]},"starting":[{"item":"silk-patch","price":8},{"item":"flare","price":20}]}},"attributes":{"chapter":{"from":"progress/flight","path":"/chapter"},"flights":{"from":"progress/logbook","path":"/flights"}},"checkpoints":{"atMost":5,"by":"player","records":["progress/flight","progress/drift","progress/glider","currency/feather","inventory/pack","inventory/hangar"]}}', 1795659682618, 'tobin@highfell.example');
CREATE TABLE "operators" ("number" integer primary key autoincrement, "email" text not null unique, "name" text not null, "role" text not null, "password_hash" text not null, "created_at" bigint not null);
insert into "operators" values (1, 'tobin@highfell.example', 'Tobin', 'admin', '$argon2id$v=19$m=19456,t=2,p=1$nJWu2sfOR+I0oLhE/0ZXmw$j9JxYAeSzzLnh9moq2LUxc2Pi3mFPbFYimVBwTAW2sY', 1795659681147);
CREATE TABLE "credentials" ("hash" text primary key, "hint" text, "sort" text not null, "environment" integer references "environments" ("number"), "operator" integer references "operators" ("number"), "created_at" bigint not null, "expires_at" bigint, "revoked_at" bigint, "device" integer, "used_at" bigint);
insert into "credentials" values ('gK-Z7HB21sYOanfOyj_296b8Y7nQ3Wkg8pEVPKrebX8', null, 'first-admin', null, null, 1795659681024, 1795663281024, 1795659681147, null, null);
insert into "credentials" values ('J2WXXKwMnmN6W0yCpsaHhKNMVxje9FareyJwiDLh8ds', null, 'operator', null, 1, 1795659681151, 1796869281151, null, null, null);
insert into "credentials" values ('rIVQlYjEhKstLwJS4Y_izc97UPUwjAAEybYJknssGqI', 'vkh_szOoS1m_', 'host-key', 1, null, 1795659682618, null, null, null, null);
insert into "credentials" values ('V6bBMqsB2XuhSlis615bBfot1Ca7KcJerJs5eXH6YW0', 'vkd_DfeMQprr', 'device-key', 1, null, 1795659682618, null, null, null, null);
insert into "credentials" values ('4omQmlH6fKUcb__BndEcj2zdkWhwDooCtyauRvNYfec', null, 'device', 1, null, 1795659682932, 1798251682931, null, 1, null);
CREATE TABLE "players" ("number" integer primary key autoincrement, "environment" integer not null references "environments" ("number"), "id" text not null, "name" text, "created_at" bigint not null, "first_joined_at" bigint, "last_joined_at" bigint, "last_left_at" bigint, "fence" integer not null, "seen" integer not null, "folded" text default '' not null, constraint "one_player_an_id" unique ("environment", "id"));
insert into "players" values (1, 1, 'p-1', 'Maren', 1795659682688, 1795659682688, 1795659682688, 1795659682861, 1, 5, 'maren
p-1');
insert into "players" values (2, 1, 'p-2', null, 1795659682886, 1795659682886, 1795659682886, null, 1, 2, '
p-2');
insert into "players" values (3, 1, 'p-3', null, 1795659682907, null, null, null, 0, 1, '
p-3');
insert into "players" values (4, 1, 'p-e3c5ea921109790e5b59', null, 1795659682932, null, null, null, 0, 0, '
p-e3c5ea921109790e5b59');
CREATE TABLE "records" ("player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "seen" integer not null, "changed_at" bigint not null, "removed" integer default 0 not null, constraint "records_key" primary key ("player", "key"));
insert into "records" values (1, 'progress/climbs', 4, '9', 4, 1795659682861, 0);
insert into "records" values (1, 'progress/landings', 1, '0', 1, 1795659682688, 0);
insert into "records" values (1, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795659682688, 0);
insert into "records" values (1, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795659682688, 0);
insert into "records" values (1, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795659682688, 0);
insert into "records" values (1, 'preference/invert-pitch', 1, 'false', 1, 1795659682688, 0);
insert into "records" values (1, 'preference/subtitle-size', 1, '"medium"', 1, 1795659682688, 0);
insert into "records" values (1, 'preference/map-detail', 1, '"contours"', 1, 1795659682688, 0);
insert into "records" values (1, 'currency/feather', 5, '135', 5, 1795659682918, 0);
insert into "records" values (1, 'currency/opal', 1, '2', 1, 1795659682688, 0);
insert into "records" values (1, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795659682688, 0);
insert into "records" values (1, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795659682688, 0);
insert into "records" values (1, 'score/gorge-run', 3, '{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-26T02:21:22.825Z","latestAt":"2026-11-26T02:21:22.861Z"}', 4, 1795659682861, 0);
insert into "records" values (2, 'progress/climbs', 2, '3', 2, 1795659682896, 0);
insert into "records" values (2, 'progress/landings', 1, '0', 1, 1795659682886, 0);
insert into "records" values (2, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795659682886, 0);
insert into "records" values (2, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795659682886, 0);
insert into "records" values (2, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795659682886, 0);
insert into "records" values (2, 'preference/invert-pitch', 1, 'false', 1, 1795659682886, 0);
insert into "records" values (2, 'preference/subtitle-size', 1, '"medium"', 1, 1795659682886, 0);
insert into "records" values (2, 'preference/map-detail', 1, '"contours"', 1, 1795659682886, 0);
insert into "records" values (2, 'currency/feather', 2, '70', 2, 1795659682896, 0);
insert into "records" values (2, 'currency/opal', 1, '2', 1, 1795659682886, 0);
insert into "records" values (2, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795659682886, 0);
insert into "records" values (2, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795659682886, 0);
insert into "records" values (2, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-26T02:21:22.896Z","latestAt":"2026-11-26T02:21:22.896Z"}', 2, 1795659682896, 0);
insert into "records" values (3, 'progress/climbs', 1, '17', 1, 1795659682907, 0);
CREATE TABLE "history" ("player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "seen" integer not null, "at" bigint not null, "session" text, "label" text, "removed" integer default 0 not null, "by" text, "follows" integer, "digest" text, constraint "history_key" primary key ("player", "key", "revision"));
insert into "history" values (1, 'progress/climbs', 1, '0', 1, 1795659682688, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 0, 'XoG4QL1c67Wl');
insert into "history" values (1, 'progress/landings', 1, '0', 1, 1795659682688, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 0, 'YMywxOiPu41_');
insert into "history" values (1, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795659682688, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 0, 'cAf9YZT6Moxb');
insert into "history" values (1, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795659682688, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 0, 'S2UnpQbPWty8');
insert into "history" values (1, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795659682688, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 0, 'FipHeR9Yf0pN');
insert into "history" values (1, 'preference/invert-pitch', 1, 'false', 1, 1795659682688, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 0, 'kiHgdgij5VTi');
insert into "history" values (1, 'preference/subtitle-size', 1, '"medium"', 1, 1795659682688, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 0, '0TNTLhJkH8xj');
insert into "history" values (1, 'preference/map-detail', 1, '"contours"', 1, 1795659682688, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 0, '7HSj88y3IFZg');
insert into "history" values (1, 'currency/feather', 1, '40', 1, 1795659682688, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 0, 'h_p0Q3Pa7_N9');
insert into "history" values (1, 'currency/opal', 1, '2', 1, 1795659682688, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 0, 'hRVVFmGuL6jk');
insert into "history" values (1, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795659682688, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 0, 'ophL8D2GfnhQ');
insert into "history" values (1, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795659682688, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 0, 'gNFb8xwcKUvl');
insert into "history" values (1, 'progress/climbs', 2, '3', 2, 1795659682825, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 'climb', 0, 'ridge-eu-1', 1, '5Fa_NKLWrxMc');
insert into "history" values (1, 'currency/feather', 2, '70', 2, 1795659682825, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 'climb', 0, 'ridge-eu-1', 1, 'FWWljaDxriiv');
insert into "history" values (1, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-26T02:21:22.825Z","latestAt":"2026-11-26T02:21:22.825Z"}', 2, 1795659682825, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 'climb', 0, 'ridge-eu-1', 0, '-O06WKfywOh7');
insert into "history" values (1, 'progress/climbs', 3, '6', 3, 1795659682850, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 'climb', 0, 'ridge-eu-1', 2, 'bzaaBIDD7zqY');
insert into "history" values (1, 'currency/feather', 3, '100', 3, 1795659682850, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 'climb', 0, 'ridge-eu-1', 2, 'hPMo3Qiyzy6H');
insert into "history" values (1, 'score/gorge-run', 2, '{"latest":61250,"best":61250,"sum":122500,"count":2,"bestAt":"2026-11-26T02:21:22.825Z","latestAt":"2026-11-26T02:21:22.850Z"}', 3, 1795659682850, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 'climb', 0, 'ridge-eu-1', 1, 'lwBpAZeNDjQs');
insert into "history" values (1, 'progress/climbs', 4, '9', 4, 1795659682861, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 3, '0nlOejMlhOlW');
insert into "history" values (1, 'currency/feather', 4, '130', 4, 1795659682861, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 3, '7f0MxGajuJUk');
insert into "history" values (1, 'score/gorge-run', 3, '{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-26T02:21:22.825Z","latestAt":"2026-11-26T02:21:22.861Z"}', 4, 1795659682861, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 0, 'ridge-eu-1', 2, '-woCXsTE_VK5');
insert into "history" values (2, 'progress/climbs', 1, '0', 1, 1795659682886, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, '66Ojj1w0YtBe');
insert into "history" values (2, 'progress/landings', 1, '0', 1, 1795659682886, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, 'PVXRagsrKQ5y');
insert into "history" values (2, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795659682886, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, 'iTiKrwvtBMGk');
insert into "history" values (2, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795659682886, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, 'IVYH6FNjlr0M');
insert into "history" values (2, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795659682886, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, 'aEpYMFOn_yO5');
insert into "history" values (2, 'preference/invert-pitch', 1, 'false', 1, 1795659682886, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, 'NnE8gjmxGx-i');
insert into "history" values (2, 'preference/subtitle-size', 1, '"medium"', 1, 1795659682886, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, 'RiY-1OKAl6m8');
insert into "history" values (2, 'preference/map-detail', 1, '"contours"', 1, 1795659682886, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, 'I7PjfioqwrM1');
insert into "history" values (2, 'currency/feather', 1, '40', 1, 1795659682886, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, 'WV4FPON06Pxb');
insert into "history" values (2, 'currency/opal', 1, '2', 1, 1795659682886, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, 'R93umDMFKM3X');
insert into "history" values (2, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795659682886, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, 'va0ElOhz80JU');
insert into "history" values (2, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795659682886, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, 'ZZC5ajjwK1b5');
insert into "history" values (2, 'progress/climbs', 2, '3', 2, 1795659682896, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 1, 'cXwEbPGYL2MG');
insert into "history" values (2, 'currency/feather', 2, '70', 2, 1795659682896, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 1, 'Rt3cdXARd9Dg');
insert into "history" values (2, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-26T02:21:22.896Z","latestAt":"2026-11-26T02:21:22.896Z"}', 2, 1795659682896, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 0, 'ridge-eu-1', 0, 'kbMivIvtH4N9');
insert into "history" values (3, 'progress/climbs', 1, '17', 1, 1795659682907, null, null, 0, 'key vkh_szOoS1m_…', 0, 'mNHr8L_LtUpQ');
insert into "history" values (1, 'currency/feather', 5, '135', 5, 1795659682918, null, null, 0, 'key vkh_szOoS1m_…', 4, 'B2xWC7UnsaMO');
CREATE TABLE "ledger" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "key" text not null, "at" bigint not null, "amount" bigint not null, "balance" bigint not null, "reason" text not null, "count" integer not null, "session" text, "label" text, "by" text, "op" text);
insert into "ledger" values (1, 1, 'currency/feather', 1795659682688, 40, 40, 'starting value', 1, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 'ridge-eu-1', 'starting');
insert into "ledger" values (2, 1, 'currency/opal', 1795659682688, 2, 2, 'starting value', 1, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 'ridge-eu-1', 'starting');
insert into "ledger" values (3, 1, 'currency/feather', 1795659682825, 30, 70, 'climb', 1, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 'climb', 'ridge-eu-1', 'credit');
insert into "ledger" values (4, 1, 'currency/feather', 1795659682850, 30, 100, 'climb', 1, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 'climb', 'ridge-eu-1', 'credit');
insert into "ledger" values (5, 1, 'currency/feather', 1795659682861, 30, 130, 'climb', 1, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', null, 'ridge-eu-1', 'credit');
insert into "ledger" values (6, 2, 'currency/feather', 1795659682886, 40, 40, 'starting value', 1, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 'ridge-eu-1', 'starting');
insert into "ledger" values (7, 2, 'currency/opal', 1795659682886, 2, 2, 'starting value', 1, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 'ridge-eu-1', 'starting');
insert into "ledger" values (8, 2, 'currency/feather', 1795659682896, 30, 70, 'climb', 1, 'ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', null, 'ridge-eu-1', 'credit');
insert into "ledger" values (9, 1, 'currency/feather', 1795659682918, 5, 135, 'gift', 1, null, null, 'key vkh_szOoS1m_…', 'credit');
CREATE TABLE "host_instances" ("number" integer primary key autoincrement, "environment" integer not null references "environments" ("number"), "host" text not null, "instance" text not null, "seen_at" bigint not null, constraint "one_row_an_instance" unique ("environment", "host", "instance"));
CREATE TABLE "sessions" ("id" text primary key, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "host" text not null, "instance" text, "attempt" text, "fence" integer not null, "is_new" integer not null, "manifest_version" integer not null, "attributes" text not null, "joined_at" bigint not null, "seen_at_join" integer not null, "ended_at" bigint, "end" text, "seen_at_end" integer, "next_save" integer not null, "last_saved_at" bigint, "last_digest" text, "last_outcome" text, "leave_outcome" text, "device" text, "answered" integer, "outcomes_from" integer, "outcomes_bytes" integer default 0 not null);
insert into "sessions" values ('ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 1, 1, 'ridge-eu-1', null, 'a', 1, 1, 1, '{}', 1795659682688, 1, 1795659682861, 'left', 4, 4, 1795659682861, 'vyj-hDbS4bXf_WlL6SWmJFqMqXOfI4UNvpExIhHhUV8', '{"number":3,"seen":4,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":4,"value":9},"currency/feather":{"revision":4,"value":130},"score/gorge-run":{"revision":3,"value":{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-26T02:21:22.825Z","latestAt":"2026-11-26T02:21:22.861Z"}}}}[{"board":"gorge-run","player":1,"value":61250,"doubtful":false,"barred":false,"number":1,"season":1,"kept":false,"before":{"value":61250,"reached":1795659682825}}]', '{"number":3,"seen":4,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":4,"value":9},"currency/feather":{"revision":4,"value":130},"score/gorge-run":{"revision":3,"value":{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-26T02:21:22.825Z","latestAt":"2026-11-26T02:21:22.861Z"}}}}[{"board":"gorge-run","player":1,"value":61250,"doubtful":false,"barred":false,"number":1,"season":1,"kept":false,"before":{"value":61250,"reached":1795659682825}}]', null, null, 1, 940);
insert into "sessions" values ('ses_45eiKoTH05nlZcH6GhlUBIrs_GrT6CWs', 1, 2, 'ridge-eu-1', null, null, 1, 1, 1, '{}', 1795659682886, 1, null, null, null, 2, 1795659682896, 'ht_fC3vfjb1NHxz66DGcTTPAaVJ3sqh3PEn4FCPHga8', '{"number":1,"seen":2,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":2,"value":3},"currency/feather":{"revision":2,"value":70},"score/gorge-run":{"revision":1,"value":{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-26T02:21:22.896Z","latestAt":"2026-11-26T02:21:22.896Z"}}}}[{"board":"gorge-run","player":2,"value":61250,"doubtful":false,"barred":false,"number":1,"season":1,"kept":true,"before":null}]', null, null, null, null, 0);
CREATE TABLE "once_tokens" ("player" integer not null references "players" ("number"), "token" text not null, "at" bigint not null, constraint "once_tokens_key" primary key ("player", "token"));
insert into "once_tokens" values (1, 'once-1', 1795659682825);
insert into "once_tokens" values (1, 'once-2', 1795659682850);
CREATE TABLE "tombstones" ("environment" integer not null references "environments" ("number"), "player" text not null, "erased_at" bigint not null, constraint "tombstones_key" primary key ("environment", "player", "erased_at"));
CREATE TABLE "probes" ("at" bigint not null, "filler" text);
insert into "probes" values (1795659681002, null);
CREATE TABLE "outside_requests" ("environment" integer not null references "environments" ("number"), "token" text not null, "digest" text not null, "outcome" text not null, "at" bigint not null, "player" integer, constraint "outside_requests_key" primary key ("environment", "token"));
insert into "outside_requests" values (1, 'gift-1', 'NbbnMTEeJvSUkU9FxruzN2kvvlh5V-dx6EbvQCtsagc', '{"seen":5,"transactions":[{"applied":true}],"records":{"currency/feather":{"revision":5,"value":135}}}', 1795659682918, 1);
CREATE TABLE "learned" ("environment" integer not null references "environments" ("number"), "section" text not null, "name" text not null, "declaration" text not null, "at" bigint not null, "by" text, constraint "learned_key" primary key ("environment", "section", "name"));
CREATE TABLE "trash" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "at" bigint not null, "why" text not null, "by" text, "session" text, "label" text);
CREATE TABLE "devices" ("number" integer primary key autoincrement, "id" text not null unique, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "secret_hash" text not null, "name" text, "created_at" bigint not null, "revoked_at" bigint, constraint "one_device_a_secret" unique ("environment", "secret_hash"));
insert into "devices" values (1, 'dev-bb61090bd8832ac2dda2', 1, 4, 'X54zuwy9KAjEkiSbq0zlBQeHdz-aUEUff9AKMFUZN6I', null, 1795659682932, null);
CREATE TABLE "checkpoints" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "name" text not null, "summary" text, "at" bigint not null, "by" text, "by_operator" integer default 0 not null, "seen" integer not null, "records" text not null, "given_up_at" bigint);
CREATE TABLE "outside_changes" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "seen" integer not null, "at" bigint not null, "content" text not null);
CREATE TABLE "save_outcomes" ("session" text not null references "sessions" ("id"), "number" integer not null, "digest" text not null, "outcome" text not null, "bytes" integer not null, constraint "save_outcomes_key" primary key ("session", "number"));
insert into "save_outcomes" values ('ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 1, 'j0nvjyYCQEIGNfXFTb4UOnCztRltEOrz7FxMPZRO-5M', '{"number":1,"seen":2,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":2,"value":3},"currency/feather":{"revision":2,"value":70},"score/gorge-run":{"revision":1,"value":{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-26T02:21:22.825Z","latestAt":"2026-11-26T02:21:22.825Z"}}}}[{"board":"gorge-run","player":1,"value":61250,"doubtful":false,"barred":false,"number":1,"season":1,"kept":true,"before":null}]', 451);
insert into "save_outcomes" values ('ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 2, 'oh0O8DmVzI3dXIXD10UwcLDpEYIXO9QH2E4SrGXttw0', '{"number":2,"seen":3,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":3,"value":6},"currency/feather":{"revision":3,"value":100},"score/gorge-run":{"revision":2,"value":{"latest":61250,"best":61250,"sum":122500,"count":2,"bestAt":"2026-11-26T02:21:22.825Z","latestAt":"2026-11-26T02:21:22.850Z"}}}}[{"board":"gorge-run","player":1,"value":61250,"doubtful":false,"barred":false,"number":1,"season":1,"kept":false,"before":{"value":61250,"reached":1795659682825}}]', 489);
CREATE TABLE "commits" ("number" bigint not null, "at" bigint not null);
insert into "commits" values (17, 1795659682941);
CREATE TABLE "unsettled" ("id" text primary key, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "likeness" text, "session" text not null, "host" text not null, "save_number" integer not null, "content" text not null, "reason" text not null, "detail" text not null, "first_at" bigint not null, "last_at" bigint not null, "count" integer not null, "bytes" integer not null, constraint "unsettled_alike" unique ("player", "likeness"));
insert into "unsettled" values ('uns_Qp0zEoaUgAZPgGkKU0oQv8', 1, 1, null, 'ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 'ridge-eu-1', 4, '{"changes":[{"op":"increase","key":"progress/climbs","path":"","by":3},{"op":"credit","key":"currency/feather","amount":30,"reason":"climb"},{"op":"submit","key":"score/gorge-run","value":61250}]}', 'session-ended', 'The session ended at 2026-11-26T02:21:22.861Z: the player left. Join the player again to go on.', 1795659682872, 1795659682872, 1, 291);
CREATE TABLE "unsettled_sums" ("environment" integer not null references "environments" ("number"), "reason" text not null, "host" text not null, "unlike" integer not null, "transactions" integer not null, constraint "unsettled_sums_key" primary key ("environment", "reason", "host"));
insert into "unsettled_sums" values (1, 'session-ended', 'ridge-eu-1', 1, 1);
CREATE TABLE "unsettled_of_players" ("player" integer primary key references "players" ("number"), "environment" integer not null references "environments" ("number"), "unlike" integer not null, "transactions" integer not null, "bytes" integer not null);
insert into "unsettled_of_players" values (1, 1, 1, 1, 291);
CREATE TABLE "late_saves" ("session" text not null references "sessions" ("id"), "number" integer not null, "digest" text not null, "unsettled" text not null, "at" bigint not null, constraint "late_saves_key" primary key ("session", "number", "digest"));
insert into "late_saves" values ('ses_HaQkFFfOKD5kOQz5095uAhWLrIBU-soo', 4, 'ht_fC3vfjb1NHxz66DGcTTPAaVJ3sqh3PEn4FCPHga8', '["uns_Qp0zEoaUgAZPgGkKU0oQv8"]', 1795659682872);
CREATE TABLE "written_by_players" ("player" integer primary key references "players" ("number"), "hour" integer not null, "bytes" integer not null);
CREATE TABLE "activity" ("number" integer primary key autoincrement, "environment" integer references "environments" ("number"), "at" bigint not null, "what" text not null, "by" text, "player" text, "detail" text not null);
CREATE TABLE "credited" ("player" integer not null references "players" ("number"), "key" text not null, "minute" integer not null, "amount" bigint not null, constraint "credited_key" primary key ("player", "key", "minute"));
insert into "credited" values (1, 'currency/feather', 29927661, 95);
insert into "credited" values (2, 'currency/feather', 29927661, 30);
CREATE TABLE "boards" ("number" integer primary key autoincrement, "environment" integer not null, "key" text not null, "created_at" integer not null, constraint "boards_by_key" unique ("environment", "key"));
insert into "boards" values (1, 1, 'gorge-run', 1795659682618);
insert into "boards" values (2, 1, 'metres-climbed', 1795659682618);
insert into "boards" values (3, 1, 'longest-glide', 1795659682618);
CREATE TABLE "seasons" ("board" integer not null, "number" integer not null, "season" text not null, "better" text not null, "counts" text not null, "opened_at" integer not null, "turns_at" integer, "turned_at" integer, "closes_at" integer, "closed_at" integer, "closed_by" text, "reason" text, "standings" integer default 0 not null, "rewards" text, "ranked" integer default 0 not null, "given" integer default 0 not null, "done_at" integer, constraint "seasons_key" primary key ("board", "number"));
insert into "seasons" values (1, 1, 'weekly', 'lower', 'best', 1795659682618, 1795996800000, null, null, null, null, null, 2, null, 0, 0, null);
insert into "seasons" values (2, 1, 'monthly', 'higher', 'sum', 1795659682618, 1796083200000, null, null, null, null, null, 0, null, 0, 0, null);
insert into "seasons" values (3, 1, 'none', 'higher', 'best', 1795659682618, null, null, null, null, null, null, 0, null, 0, 0, null);
CREATE TABLE "standings" ("board" integer not null, "season" integer not null, "player" integer not null, "value" real not null, "worth" real not null, "reached" integer not null, "rank" integer, constraint "standings_key" primary key ("board", "season", "player"));
insert into "standings" values (1, 1, 1, 61250, 61250, 1795659682825, null);
insert into "standings" values (1, 1, 2, 61250, 61250, 1795659682896, null);
CREATE TABLE "set_aside" ("board" integer not null, "season" integer not null, "player" integer not null, "value" real not null, "reached" integer not null, "why" text not null, "reason" text not null, "by" text not null, "at" integer not null, constraint "set_aside_key" primary key ("board", "season", "player"));
CREATE TABLE "barred" ("board" integer not null, "player" integer not null, "reason" text not null, "by" text not null, "at" integer not null, constraint "barred_key" primary key ("board", "player"));
CREATE TABLE "doubtful" ("number" integer primary key autoincrement, "environment" integer not null, "board" integer not null, "key" text not null, "player" integer not null, "value" real not null, "at" integer not null, "name" text, "note" text, "session" text, "host" text, "save_number" integer, "before" text not null, "state" text not null, "decided_at" integer, "decided_by" text, "reason" text);
CREATE TABLE "rewards" ("board" integer not null, "season" integer not null, "player" integer not null, "rank" integer not null, "line" integer not null, "at" integer not null, "problem" text, constraint "rewards_key" primary key ("board", "season", "player"));
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
CREATE INDEX "activity_by_time" on "activity" ("at");
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
