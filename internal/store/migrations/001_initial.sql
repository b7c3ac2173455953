-- +goose Up
create table productions (
  id          uuid primary key default gen_random_uuid(),
  name        text not null unique check (length(name) between 1 and 100),
  sample_rate int  not null,
  frame_rate  jsonb not null,
  created_at  timestamptz not null default now()
);

-- Long work: what the user sees of it. The queue itself is river's.
create table work (
  id            uuid primary key default gen_random_uuid(),
  production_id uuid not null references productions on delete cascade,
  kind          text not null check (kind in ('import', 'print')),
  title         text not null,
  state         text not null default 'queued' check (state in ('queued', 'running', 'done', 'failed', 'cancelled')),
  progress      double precision not null default 0,
  message       text not null default '',
  args          jsonb not null,
  result        uuid,
  job_id        bigint,
  created_at    timestamptz not null default now(),
  updated_at    timestamptz not null default now()
);
create index on work (production_id, created_at desc);

create table takes (
  id            uuid primary key default gen_random_uuid(),
  production_id uuid not null references productions on delete cascade,
  kind          text not null,
  file_name     text not null,
  came_from     text not null,
  media_key     text not null,
  size          bigint not null,
  sha256        text not null,
  description   jsonb not null, -- as the file has it; never changed
  channels      jsonb not null, -- names as the user has them, levels
  created_at    timestamptz not null default now(),
  unique (production_id, sha256)
);

-- Edits of takes, for undo. Each says what a field was and became.
create table take_edits (
  id            bigint generated always as identity primary key,
  production_id uuid not null references productions on delete cascade,
  take_id       uuid not null references takes on delete cascade,
  name          text not null,
  before        jsonb not null,
  after         jsonb not null,
  state         text not null default 'done' check (state in ('done', 'undone', 'dropped')),
  at            timestamptz not null default now()
);
create index on take_edits (production_id, id desc);

create table reels (
  id            uuid primary key default gen_random_uuid(),
  production_id uuid not null references productions on delete cascade,
  name          text not null check (length(name) between 1 and 100),
  revision      bigint not null default 0,
  created_at    timestamptz not null default now(),
  unique (production_id, name)
);

-- A reel is its newest snapshot and the changes after it.
create table reel_snapshots (
  reel_id  uuid not null references reels on delete cascade,
  revision bigint not null,
  state    jsonb not null,
  primary key (reel_id, revision)
);
create table reel_log (
  reel_id  uuid not null references reels on delete cascade,
  revision bigint not null,
  kind     text not null check (kind in ('do', 'undo', 'redo')),
  name     text not null,
  change   jsonb not null,
  of       bigint, -- the revision that an undo takes back or a redo brings back
  state    text not null default 'done' check (state in ('done', 'undone', 'dropped')),
  author   text not null,
  at       timestamptz not null default now(),
  primary key (reel_id, revision)
);
create index on reel_log (reel_id, revision desc) where kind = 'do';

create table specs (
  id   text primary key,
  text text not null
);

create table prints (
  id            uuid primary key references work on delete cascade,
  reel_id       uuid not null references reels on delete cascade,
  revision      bigint not null,
  plan          jsonb not null,
  reel          jsonb not null, -- as it was printed
  report        jsonb,
  created_at    timestamptz not null default now()
);
create index on prints (reel_id, created_at desc);

-- +goose Down
drop table prints, specs, reel_log, reel_snapshots, reels, take_edits, takes, work, productions;
