CREATE TABLE "kysely_migration" ("name" varchar(255) not null primary key, "timestamp" varchar(255) not null);
insert into "kysely_migration" values ('0001-first-slice', '2026-11-25T23:46:23.517Z');
insert into "kysely_migration" values ('0002-sessions-that-never-lose', '2026-11-25T23:46:23.526Z');
insert into "kysely_migration" values ('0003-changes-from-outside', '2026-11-25T23:46:23.528Z');
insert into "kysely_migration" values ('0004-manifests-over-time', '2026-11-25T23:46:23.545Z');
insert into "kysely_migration" values ('0005-games-on-devices', '2026-11-25T23:46:23.565Z');
insert into "kysely_migration" values ('0006-nothing-lost', '2026-11-25T23:46:23.582Z');
insert into "kysely_migration" values ('0007-nobody-stuck', '2026-11-25T23:46:23.605Z');
insert into "kysely_migration" values ('0008-a-million-players', '2026-11-25T23:46:23.618Z');
CREATE TABLE "kysely_migration_lock" ("id" varchar(255) not null primary key, "is_locked" integer default 0 not null);
insert into "kysely_migration_lock" values ('migration_lock', 0);
CREATE TABLE "environments" ("number" integer primary key autoincrement, "game" text not null, "name" text not null, "is_live" integer not null, "lease_seconds" integer not null, "manifest_version" integer, "created_at" bigint not null, "learns" integer default 0 not null, "learned" integer default 0 not null, "origins" text, constraint "one_environment_a_name" unique ("game", "name"));
insert into "environments" values (1, 'highfell-gliders', 'dev', 0, 900, 1, 1795650385998, 0, 0, null);
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
  gorge-run: { better: lower, counts: best, unit: milliseconds, lowest: 20000, highest: 3600000, season: weekly }
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
', '{"game":"highfell-gliders","title":"Highfell Gliders","records":{"progress/climbs":{"kind":"progress","lasts":"always","player":"none","others":"none","schema":{"type":"number","default":0},"starting":0},"progress/landings":{"kind":"progress","lasts":"always","player":"write","others":"none","schema":{"type":"number","default":0},"starting":0},"progress/drift":{"kind":"progress","about":"A flight on the player''s own device, at /play. Nobody wins anything by forging it.","lasts":"run","player":"write","others":"none","schema":{"type":"object","additionalProperties":false,"properties":{"feathers":{"type":"integer","minimum":0,"default":0},"metres":{"type":"number","minimum":0,"default":0},"height":{"type":"number","minimum":0,"maximum":1000,"default":320},"seconds":{"type":"number","minimum":0,"default":0}}},"starting":{"feathers":0,"metres":0,"height":320,"seconds":0}},"progress/flight":{"kind":"progress","about":"How far the pilot has come in this run.","lasts":"run","player":"read","others":"none","schema":{"type":"object","additionalProperties":false,"properties":{"chapter":{"type":"integer","minimum":1,"maximum":40,"default":1},"charted":{"type":"array","items":{"type":"string","maxLength":60},"uniqueItems":true,"maxItems":200,"default":[]},"metres":{"type":"number","minimum":0,"default":0}}},"starting":{"chapter":1,"charted":[],"metres":0}},"progress/logbook":{"kind":"progress","about":"What a pilot keeps for ever, whatever becomes of the run.","lasts":"always","player":"read","others":"read","schema":{"type":"object","additionalProperties":false,"properties":{"flights":{"type":"integer","minimum":0,"default":0},"highest":{"type":["number","null"],"default":null,"formerly":["top"]},"notes":{"type":"array","items":{"type":"string","maxLength":200},"maxItems":100,"default":[]},"camps":{"type":"array","maxItems":200,"default":[],"items":{"type":"object","additionalProperties":false,"required":["value","at"],"properties":{"value":{"type":"string","pattern":"^[a-z][a-z-]{0,40}$"},"at":{"type":"string","format":"date-time"}}}}}},"starting":{"flights":0,"highest":null,"notes":[],"camps":[]}},"progress/glider":{"kind":"progress","about":"A glider with a name of its own.","formerly":["craft"],"lasts":"always","player":"read","others":"none","family":{"atMost":6},"schema":{"type":"object","additionalProperties":false,"properties":{"span":{"type":"number","minimum":6,"maximum":24,"default":11},"cloth":{"enum":["paper","silk","oiled-silk"],"default":"paper"},"wear":{"type":"number","minimum":0,"maximum":1,"default":0}}},"starting":{"span":11,"cloth":"paper","wear":0}},"preference/invert-pitch":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"type":"boolean","default":false},"starting":false},"preference/subtitle-size":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"enum":["small","medium","large"],"default":"medium"},"starting":"medium"},"preference/map-detail":{"kind":"preference","lasts":"always","player":"write","others":"none","schema":{"enum":["plain","contours","winds"],"default":"contours"},"starting":"contours"},"currency/feather":{"kind":"currency","about":"Found in thermals and spent in camps.","lasts":"always","player":"read","others":"none","starting":40,"floor":0,"ceiling":1000000,"creditLimit":{"atMost":5000,"per":"hour"}},"currency/opal":{"kind":"currency","lasts":"always","player":"read","others":"none","starting":2,"floor":0,"ceiling":9007199254740991},"inventory/pack":{"kind":"inventory","about":"What a pilot carries.","lasts":"run","player":"read","others":"none","capacity":24,"accepts":["silk-patch","flare","wing"],"starting":{"stacks":{"silk-patch":2},"pieces":{}}},"inventory/hangar":{"kind":"inventory","about":"What waits at home.","lasts":"always","player":"read","others":"none","accepts":["wing"],"starting":{"stacks":{},"pieces":{}}},"score/gorge-run":{"kind":"score","lasts":"always","player":"read","others":"none","better":"lower","counts":"best","season":"weekly","public":true,"unit":"milliseconds","lowest":20000,"highest":3600000},"score/metres-climbed":{"kind":"score","lasts":"always","player":"read","others":"none","better":"higher","counts":"sum","season":"monthly","public":true,"unit":"metres"},"score/longest-glide":{"kind":"score","lasts":"always","player":"read","others":"none","better":"higher","counts":"best","season":"none","public":true,"unit":"metres","doubtful":{"above":90000}},"score/valley":{"kind":"score","about":"A pilot''s own best times, one list for each valley.","lasts":"always","player":"write","others":"none","family":{"atMost":12},"better":"lower","counts":"best","season":"none","public":false,"unit":"seconds","lowest":5,"entries":5}},"items":{"silk-patch":{"about":"Mends a tear in the cloth.","stack":20},"flare":{"about":"Seen from the next camp.","stack":5},"wing":{"about":"A pair of wings, each with a past.","unique":true,"traits":{"type":"object","additionalProperties":false,"properties":{"maker":{"type":"string","maxLength":60,"default":"unknown"},"lift":{"type":"number","minimum":0.5,"maximum":2,"default":1},"mended":{"type":"integer","minimum":0,"default":0}}},"starting":{"maker":"unknown","lift":1,"mended":0}}},"tunables":{"thermal-strength":{"about":"How fast a thermal lifts a glider.","schema":{"type":"number","minimum":0.1,"maximum":5,"default":1},"starting":1},"storm-warning":{"schema":{"type":"boolean","default":false},"starting":false},"camp-note":{"schema":{"type":"string","default":""},"starting":""},"trade-table":{"about":"What the camps sell, and for how many feathers.","schema":{"type":"array","maxItems":50,"items":{"type":"object","additionalProperties":false,"required":["item","price"],"properties":{"item":{"type":"string","maxLength":63},"price":{"type":"integer","minimum":1}}},"default":[{"item":"silk-patch","price":8},{"item":"flare","price":20}]},"starting":[{"item":"silk-patch","price":8},{"item":"flare","price":20}]}},"attributes":{"chapter":{"from":"progress/flight","path":"/chapter"},"flights":{"from":"progress/logbook","path":"/flights"}},"checkpoints":{"atMost":5,"by":"player","records":["progress/flight","progress/drift","progress/glider","currency/feather","inventory/pack","inventory/hangar"]}}', 1795650385998, 'tobin@highfell.example');
CREATE TABLE "operators" ("number" integer primary key autoincrement, "email" text not null unique, "name" text not null, "role" text not null, "password_hash" text not null, "created_at" bigint not null);
insert into "operators" values (1, 'tobin@highfell.example', 'Tobin', 'admin', '$argon2id$v=19$m=19456,t=2,p=1$IaA8IuALLhr2vHxJ3STBMw$bByHjdBegtEJxTCTGvRPFWVS9td5ivakV/X5z1A9ZX4', 1795650384016);
CREATE TABLE "credentials" ("hash" text primary key, "hint" text, "sort" text not null, "environment" integer references "environments" ("number"), "operator" integer references "operators" ("number"), "created_at" bigint not null, "expires_at" bigint, "revoked_at" bigint, "device" integer, "used_at" bigint);
insert into "credentials" values ('V05lo1x_en7BReDHTIP2nAHNNo2egEgbeH6nW4H4yuI', null, 'first-admin', null, null, 1795650383828, 1795653983827, 1795650384016, null, null);
insert into "credentials" values ('PAIWC8TAJghoVLAKZobEK2MQUOdpM1zHK7YllTjUKm4', null, 'operator', null, 1, 1795650384023, 1796859984023, null, null, null);
insert into "credentials" values ('GQF5eA5NNRyJGVcxxmB9HxoB8Lt0AQ-15E6pb9d918M', 'vkh_E0jAPBcO', 'host-key', 1, null, 1795650385998, null, null, null, null);
insert into "credentials" values ('m7P-11RVhALOJM07P6aW7MoBj5-5OxHpPGz8seAqN88', 'vkd_S8lnSAqP', 'device-key', 1, null, 1795650385998, null, null, null, null);
insert into "credentials" values ('lT6VTomSsQetoVBkvI-3AukaAt0hfy3zgMQRi2BFeZ4', null, 'device', 1, null, 1795650386477, 1798242386477, null, 1, null);
CREATE TABLE "players" ("number" integer primary key autoincrement, "environment" integer not null references "environments" ("number"), "id" text not null, "name" text, "created_at" bigint not null, "first_joined_at" bigint, "last_joined_at" bigint, "last_left_at" bigint, "fence" integer not null, "seen" integer not null, "folded" text default '' not null, constraint "one_player_an_id" unique ("environment", "id"));
insert into "players" values (1, 1, 'p-1', 'Maren', 1795650386074, 1795650386074, 1795650386074, 1795650386374, 1, 5, 'maren
p-1');
insert into "players" values (2, 1, 'p-2', null, 1795650386411, 1795650386411, 1795650386411, null, 1, 2, '
p-2');
insert into "players" values (3, 1, 'p-3', null, 1795650386444, null, null, null, 0, 1, '
p-3');
insert into "players" values (4, 1, 'p-ce4f33dbe658c3279f0c', null, 1795650386477, null, null, null, 0, 0, '
p-ce4f33dbe658c3279f0c');
CREATE TABLE "records" ("player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "seen" integer not null, "changed_at" bigint not null, "removed" integer default 0 not null, constraint "records_key" primary key ("player", "key"));
insert into "records" values (1, 'progress/climbs', 4, '9', 4, 1795650386374, 0);
insert into "records" values (1, 'progress/landings', 1, '0', 1, 1795650386074, 0);
insert into "records" values (1, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795650386074, 0);
insert into "records" values (1, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795650386074, 0);
insert into "records" values (1, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795650386074, 0);
insert into "records" values (1, 'preference/invert-pitch', 1, 'false', 1, 1795650386074, 0);
insert into "records" values (1, 'preference/subtitle-size', 1, '"medium"', 1, 1795650386074, 0);
insert into "records" values (1, 'preference/map-detail', 1, '"contours"', 1, 1795650386074, 0);
insert into "records" values (1, 'currency/feather', 5, '135', 5, 1795650386459, 0);
insert into "records" values (1, 'currency/opal', 1, '2', 1, 1795650386074, 0);
insert into "records" values (1, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795650386074, 0);
insert into "records" values (1, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795650386074, 0);
insert into "records" values (1, 'score/gorge-run', 3, '{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-25T23:46:26.313Z","latestAt":"2026-11-25T23:46:26.374Z"}', 4, 1795650386374, 0);
insert into "records" values (2, 'progress/climbs', 2, '3', 2, 1795650386429, 0);
insert into "records" values (2, 'progress/landings', 1, '0', 1, 1795650386411, 0);
insert into "records" values (2, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795650386411, 0);
insert into "records" values (2, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795650386411, 0);
insert into "records" values (2, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795650386411, 0);
insert into "records" values (2, 'preference/invert-pitch', 1, 'false', 1, 1795650386411, 0);
insert into "records" values (2, 'preference/subtitle-size', 1, '"medium"', 1, 1795650386411, 0);
insert into "records" values (2, 'preference/map-detail', 1, '"contours"', 1, 1795650386411, 0);
insert into "records" values (2, 'currency/feather', 2, '70', 2, 1795650386429, 0);
insert into "records" values (2, 'currency/opal', 1, '2', 1, 1795650386411, 0);
insert into "records" values (2, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795650386411, 0);
insert into "records" values (2, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795650386411, 0);
insert into "records" values (2, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T23:46:26.429Z","latestAt":"2026-11-25T23:46:26.429Z"}', 2, 1795650386429, 0);
insert into "records" values (3, 'progress/climbs', 1, '17', 1, 1795650386444, 0);
CREATE TABLE "history" ("player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "seen" integer not null, "at" bigint not null, "session" text, "label" text, "removed" integer default 0 not null, "by" text, "follows" integer, "digest" text, constraint "history_key" primary key ("player", "key", "revision"));
insert into "history" values (1, 'progress/climbs', 1, '0', 1, 1795650386074, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 0, 'dFGgRUVubMRc');
insert into "history" values (1, 'progress/landings', 1, '0', 1, 1795650386074, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 0, 'Iotk7aDB-XLD');
insert into "history" values (1, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795650386074, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 0, 'TwmENCpdb_kz');
insert into "history" values (1, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795650386074, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 0, 'f927_swsNQtn');
insert into "history" values (1, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795650386074, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 0, 'LouACy5OJy6j');
insert into "history" values (1, 'preference/invert-pitch', 1, 'false', 1, 1795650386074, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 0, 'SzINNOPk_E1Y');
insert into "history" values (1, 'preference/subtitle-size', 1, '"medium"', 1, 1795650386074, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 0, 'WKl__1ACleLy');
insert into "history" values (1, 'preference/map-detail', 1, '"contours"', 1, 1795650386074, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 0, '1tdoVyTdmJq3');
insert into "history" values (1, 'currency/feather', 1, '40', 1, 1795650386074, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 0, 'vtmufYhu-37d');
insert into "history" values (1, 'currency/opal', 1, '2', 1, 1795650386074, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 0, 'xN6aHcPoYzQT');
insert into "history" values (1, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795650386074, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 0, 'Fny_28v33tVF');
insert into "history" values (1, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795650386074, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 0, 'YI0HBOf0KTx5');
insert into "history" values (1, 'progress/climbs', 2, '3', 2, 1795650386313, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 'climb', 0, 'ridge-eu-1', 1, 'u4sW4ELBciUE');
insert into "history" values (1, 'currency/feather', 2, '70', 2, 1795650386313, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 'climb', 0, 'ridge-eu-1', 1, 'HQC-aga_qrqb');
insert into "history" values (1, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T23:46:26.313Z","latestAt":"2026-11-25T23:46:26.313Z"}', 2, 1795650386313, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 'climb', 0, 'ridge-eu-1', 0, 'K6Bi8REO-6ga');
insert into "history" values (1, 'progress/climbs', 3, '6', 3, 1795650386357, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 'climb', 0, 'ridge-eu-1', 2, 'e8icFVc4w8Yh');
insert into "history" values (1, 'currency/feather', 3, '100', 3, 1795650386357, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 'climb', 0, 'ridge-eu-1', 2, 'V_TuIpx7s4ET');
insert into "history" values (1, 'score/gorge-run', 2, '{"latest":61250,"best":61250,"sum":122500,"count":2,"bestAt":"2026-11-25T23:46:26.313Z","latestAt":"2026-11-25T23:46:26.357Z"}', 3, 1795650386357, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 'climb', 0, 'ridge-eu-1', 1, 'hN-ZMP7cBTlt');
insert into "history" values (1, 'progress/climbs', 4, '9', 4, 1795650386374, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 3, 'DkC0VvQOKu4A');
insert into "history" values (1, 'currency/feather', 4, '130', 4, 1795650386374, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 3, 'j2P2-Ui33V4E');
insert into "history" values (1, 'score/gorge-run', 3, '{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-25T23:46:26.313Z","latestAt":"2026-11-25T23:46:26.374Z"}', 4, 1795650386374, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 0, 'ridge-eu-1', 2, 'ixU7x3CYkVq2');
insert into "history" values (2, 'progress/climbs', 1, '0', 1, 1795650386411, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, 'yFNOIShqlMLc');
insert into "history" values (2, 'progress/landings', 1, '0', 1, 1795650386411, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, 'GY0PGimGALDu');
insert into "history" values (2, 'progress/drift', 1, '{"feathers":0,"metres":0,"height":320,"seconds":0}', 1, 1795650386411, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, 'K2pNbcWLBuMU');
insert into "history" values (2, 'progress/flight', 1, '{"chapter":1,"charted":[],"metres":0}', 1, 1795650386411, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, 'TBv31vsyKHW3');
insert into "history" values (2, 'progress/logbook', 1, '{"flights":0,"highest":null,"notes":[],"camps":[]}', 1, 1795650386411, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, 'QbznuNGPcdle');
insert into "history" values (2, 'preference/invert-pitch', 1, 'false', 1, 1795650386411, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, '68L4f77wR-oL');
insert into "history" values (2, 'preference/subtitle-size', 1, '"medium"', 1, 1795650386411, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, 'T85Eh2vX_ql3');
insert into "history" values (2, 'preference/map-detail', 1, '"contours"', 1, 1795650386411, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, 'J7yQUIPFtqxo');
insert into "history" values (2, 'currency/feather', 1, '40', 1, 1795650386411, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, '4ChhEYOHiDxW');
insert into "history" values (2, 'currency/opal', 1, '2', 1, 1795650386411, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, 'itrCKcU6CRic');
insert into "history" values (2, 'inventory/pack', 1, '{"stacks":{"silk-patch":2},"pieces":{}}', 1, 1795650386411, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, 'gqk_klKHPHw7');
insert into "history" values (2, 'inventory/hangar', 1, '{"stacks":{},"pieces":{}}', 1, 1795650386411, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, 'hrgu1H0eHUCd');
insert into "history" values (2, 'progress/climbs', 2, '3', 2, 1795650386429, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 1, 'B2qxaxrOWm8O');
insert into "history" values (2, 'currency/feather', 2, '70', 2, 1795650386429, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 1, 'hCLxGWoGt629');
insert into "history" values (2, 'score/gorge-run', 1, '{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T23:46:26.429Z","latestAt":"2026-11-25T23:46:26.429Z"}', 2, 1795650386429, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 0, 'ridge-eu-1', 0, '2imiZ4fz9c2e');
insert into "history" values (3, 'progress/climbs', 1, '17', 1, 1795650386444, null, null, 0, 'key vkh_E0jAPBcO…', 0, 'spGxPOaOrHUC');
insert into "history" values (1, 'currency/feather', 5, '135', 5, 1795650386459, null, null, 0, 'key vkh_E0jAPBcO…', 4, 'GqxOVtF9_y7n');
CREATE TABLE "ledger" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "key" text not null, "at" bigint not null, "amount" bigint not null, "balance" bigint not null, "reason" text not null, "count" integer not null, "session" text, "label" text, "by" text, "op" text);
insert into "ledger" values (1, 1, 'currency/feather', 1795650386074, 40, 40, 'starting value', 1, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 'ridge-eu-1', 'starting');
insert into "ledger" values (2, 1, 'currency/opal', 1795650386074, 2, 2, 'starting value', 1, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 'ridge-eu-1', 'starting');
insert into "ledger" values (3, 1, 'currency/feather', 1795650386313, 30, 70, 'climb', 1, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 'climb', 'ridge-eu-1', 'credit');
insert into "ledger" values (4, 1, 'currency/feather', 1795650386357, 30, 100, 'climb', 1, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 'climb', 'ridge-eu-1', 'credit');
insert into "ledger" values (5, 1, 'currency/feather', 1795650386374, 30, 130, 'climb', 1, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', null, 'ridge-eu-1', 'credit');
insert into "ledger" values (6, 2, 'currency/feather', 1795650386411, 40, 40, 'starting value', 1, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 'ridge-eu-1', 'starting');
insert into "ledger" values (7, 2, 'currency/opal', 1795650386411, 2, 2, 'starting value', 1, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 'ridge-eu-1', 'starting');
insert into "ledger" values (8, 2, 'currency/feather', 1795650386429, 30, 70, 'climb', 1, 'ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', null, 'ridge-eu-1', 'credit');
insert into "ledger" values (9, 1, 'currency/feather', 1795650386459, 5, 135, 'gift', 1, null, null, 'key vkh_E0jAPBcO…', 'credit');
CREATE TABLE "host_instances" ("number" integer primary key autoincrement, "environment" integer not null references "environments" ("number"), "host" text not null, "instance" text not null, "seen_at" bigint not null, constraint "one_row_an_instance" unique ("environment", "host", "instance"));
CREATE TABLE "sessions" ("id" text primary key, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "host" text not null, "instance" text, "attempt" text, "fence" integer not null, "is_new" integer not null, "manifest_version" integer not null, "attributes" text not null, "joined_at" bigint not null, "seen_at_join" integer not null, "ended_at" bigint, "end" text, "seen_at_end" integer, "next_save" integer not null, "last_saved_at" bigint, "last_digest" text, "last_outcome" text, "leave_outcome" text, "device" text, "answered" integer, "outcomes_from" integer, "outcomes_bytes" integer default 0 not null);
insert into "sessions" values ('ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 1, 1, 'ridge-eu-1', null, 'a', 1, 1, 1, '{}', 1795650386074, 1, 1795650386374, 'left', 4, 4, 1795650386374, 'vyj-hDbS4bXf_WlL6SWmJFqMqXOfI4UNvpExIhHhUV8', '{"number":3,"seen":4,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":4,"value":9},"currency/feather":{"revision":4,"value":130},"score/gorge-run":{"revision":3,"value":{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-25T23:46:26.313Z","latestAt":"2026-11-25T23:46:26.374Z"}}}}', '{"number":3,"seen":4,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":4,"value":9},"currency/feather":{"revision":4,"value":130},"score/gorge-run":{"revision":3,"value":{"latest":61250,"best":61250,"sum":183750,"count":3,"bestAt":"2026-11-25T23:46:26.313Z","latestAt":"2026-11-25T23:46:26.374Z"}}}}', null, null, 1, 646);
insert into "sessions" values ('ses_GLmKeIJpNHQUXmeuSBag8UQM2YFf2hJ5', 1, 2, 'ridge-eu-1', null, null, 1, 1, 1, '{}', 1795650386411, 1, null, null, null, 2, 1795650386429, 'ht_fC3vfjb1NHxz66DGcTTPAaVJ3sqh3PEn4FCPHga8', '{"number":1,"seen":2,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":2,"value":3},"currency/feather":{"revision":2,"value":70},"score/gorge-run":{"revision":1,"value":{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T23:46:26.429Z","latestAt":"2026-11-25T23:46:26.429Z"}}}}', null, null, null, null, 0);
CREATE TABLE "once_tokens" ("player" integer not null references "players" ("number"), "token" text not null, "at" bigint not null, constraint "once_tokens_key" primary key ("player", "token"));
insert into "once_tokens" values (1, 'once-1', 1795650386313);
insert into "once_tokens" values (1, 'once-2', 1795650386357);
CREATE TABLE "tombstones" ("environment" integer not null references "environments" ("number"), "player" text not null, "erased_at" bigint not null, constraint "tombstones_key" primary key ("environment", "player", "erased_at"));
CREATE TABLE "probes" ("at" bigint not null, "filler" text);
insert into "probes" values (1795650383778, null);
CREATE TABLE "outside_requests" ("environment" integer not null references "environments" ("number"), "token" text not null, "digest" text not null, "outcome" text not null, "at" bigint not null, "player" integer, constraint "outside_requests_key" primary key ("environment", "token"));
insert into "outside_requests" values (1, 'gift-1', 'NbbnMTEeJvSUkU9FxruzN2kvvlh5V-dx6EbvQCtsagc', '{"seen":5,"transactions":[{"applied":true}],"records":{"currency/feather":{"revision":5,"value":135}}}', 1795650386459, 1);
CREATE TABLE "learned" ("environment" integer not null references "environments" ("number"), "section" text not null, "name" text not null, "declaration" text not null, "at" bigint not null, "by" text, constraint "learned_key" primary key ("environment", "section", "name"));
CREATE TABLE "trash" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "key" text not null, "revision" integer not null, "value" text not null, "at" bigint not null, "why" text not null, "by" text, "session" text, "label" text);
CREATE TABLE "devices" ("number" integer primary key autoincrement, "id" text not null unique, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "secret_hash" text not null, "name" text, "created_at" bigint not null, "revoked_at" bigint, constraint "one_device_a_secret" unique ("environment", "secret_hash"));
insert into "devices" values (1, 'dev-14c21dc91b288f2de476', 1, 4, 'X54zuwy9KAjEkiSbq0zlBQeHdz-aUEUff9AKMFUZN6I', null, 1795650386477, null);
CREATE TABLE "checkpoints" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "name" text not null, "summary" text, "at" bigint not null, "by" text, "by_operator" integer default 0 not null, "seen" integer not null, "records" text not null, "given_up_at" bigint);
CREATE TABLE "outside_changes" ("number" integer primary key autoincrement, "player" integer not null references "players" ("number"), "seen" integer not null, "at" bigint not null, "content" text not null);
CREATE TABLE "save_outcomes" ("session" text not null references "sessions" ("id"), "number" integer not null, "digest" text not null, "outcome" text not null, "bytes" integer not null, constraint "save_outcomes_key" primary key ("session", "number"));
insert into "save_outcomes" values ('ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 1, 'j0nvjyYCQEIGNfXFTb4UOnCztRltEOrz7FxMPZRO-5M', '{"number":1,"seen":2,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":2,"value":3},"currency/feather":{"revision":2,"value":70},"score/gorge-run":{"revision":1,"value":{"latest":61250,"best":61250,"sum":61250,"count":1,"bestAt":"2026-11-25T23:46:26.313Z","latestAt":"2026-11-25T23:46:26.313Z"}}}}', 322);
insert into "save_outcomes" values ('ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 2, 'oh0O8DmVzI3dXIXD10UwcLDpEYIXO9QH2E4SrGXttw0', '{"number":2,"seen":3,"transactions":[{"applied":true}],"records":{"progress/climbs":{"revision":3,"value":6},"currency/feather":{"revision":3,"value":100},"score/gorge-run":{"revision":2,"value":{"latest":61250,"best":61250,"sum":122500,"count":2,"bestAt":"2026-11-25T23:46:26.313Z","latestAt":"2026-11-25T23:46:26.357Z"}}}}', 324);
CREATE TABLE "commits" ("number" bigint not null, "at" bigint not null);
insert into "commits" values (17, 1795650386489);
CREATE TABLE "unsettled" ("id" text primary key, "environment" integer not null references "environments" ("number"), "player" integer not null references "players" ("number"), "likeness" text, "session" text not null, "host" text not null, "save_number" integer not null, "content" text not null, "reason" text not null, "detail" text not null, "first_at" bigint not null, "last_at" bigint not null, "count" integer not null, "bytes" integer not null, constraint "unsettled_alike" unique ("player", "likeness"));
insert into "unsettled" values ('uns_hx94d1zJ4awC5d7RD992k7', 1, 1, null, 'ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 'ridge-eu-1', 4, '{"changes":[{"op":"increase","key":"progress/climbs","path":"","by":3},{"op":"credit","key":"currency/feather","amount":30,"reason":"climb"},{"op":"submit","key":"score/gorge-run","value":61250}]}', 'session-ended', 'The session ended at 2026-11-25T23:46:26.374Z: the player left. Join the player again to go on.', 1795650386389, 1795650386389, 1, 291);
CREATE TABLE "unsettled_sums" ("environment" integer not null references "environments" ("number"), "reason" text not null, "host" text not null, "unlike" integer not null, "transactions" integer not null, constraint "unsettled_sums_key" primary key ("environment", "reason", "host"));
insert into "unsettled_sums" values (1, 'session-ended', 'ridge-eu-1', 1, 1);
CREATE TABLE "unsettled_of_players" ("player" integer primary key references "players" ("number"), "environment" integer not null references "environments" ("number"), "unlike" integer not null, "transactions" integer not null, "bytes" integer not null);
insert into "unsettled_of_players" values (1, 1, 1, 1, 291);
CREATE TABLE "late_saves" ("session" text not null references "sessions" ("id"), "number" integer not null, "digest" text not null, "unsettled" text not null, "at" bigint not null, constraint "late_saves_key" primary key ("session", "number", "digest"));
insert into "late_saves" values ('ses_0xqtlerbHDimQKf7NygJ93-b2ZqY2mQA', 4, 'ht_fC3vfjb1NHxz66DGcTTPAaVJ3sqh3PEn4FCPHga8', '["uns_hx94d1zJ4awC5d7RD992k7"]', 1795650386389);
CREATE TABLE "written_by_players" ("player" integer primary key references "players" ("number"), "hour" integer not null, "bytes" integer not null);
CREATE TABLE "activity" ("number" integer primary key autoincrement, "environment" integer references "environments" ("number"), "at" bigint not null, "what" text not null, "by" text, "player" text, "detail" text not null);
CREATE TABLE "credited" ("player" integer not null references "players" ("number"), "key" text not null, "minute" integer not null, "amount" bigint not null, constraint "credited_key" primary key ("player", "key", "minute"));
insert into "credited" values (1, 'currency/feather', 29927506, 95);
insert into "credited" values (2, 'currency/feather', 29927506, 30);
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
