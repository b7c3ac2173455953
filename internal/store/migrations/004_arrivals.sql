-- +goose Up
-- What arrives: takes of several files, streams of movies, readings, and where a take belongs against a picture.
alter table takes
  alter column sha256 drop not null,
  add column stream    int not null default 0,      -- of a movie's audio streams
  add column sound_key text not null default '',    -- where its samples lie; empty where it has none of its own
  add column picture   jsonb,                       -- of a movie: what it is, and where its proxy lies
  add column slate     jsonb not null default '{}', -- what the user says of scene, take, roll, note and circle
  add column sets      jsonb,                       -- channels that are read together; null until somebody has said
  add column tie       jsonb,                       -- where it lies against a picture or another take
  add column assembly  jsonb,                       -- the takes that it is made of
  add column part_of   uuid references takes on delete set null,
  add column apart     boolean not null default false, -- somebody took it out of its group, so it is never joined unasked
  add column dissolved boolean not null default false; -- a group that was taken apart
update takes set sound_key = media_key || '/source.wav';
alter table takes drop constraint takes_production_id_sha256_key;
alter table takes add unique (production_id, sha256, stream);
create index on takes (media_key);
create index on takes (part_of);

alter table productions
  add column stems jsonb, -- null: those that a production begins with
  add column rules jsonb;

-- What was found when takes were lined up. reference_id is null where nothing fits.
create table matches (
  id            uuid primary key default gen_random_uuid(),
  production_id uuid not null references productions on delete cascade,
  take_id       uuid not null references takes on delete cascade,
  reference_id  uuid references takes on delete cascade,
  method        text not null,
  result        jsonb not null,
  refused       boolean not null default false,
  found_at      timestamptz not null default now(),
  unique (take_id)
);
create index on matches (production_id);

alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose'));
alter table work add column report jsonb; -- of work on many takes: what became of each

-- +goose Down
alter table work drop column report;
drop table matches;
alter table productions drop column stems, drop column rules;
alter table takes drop constraint takes_production_id_sha256_stream_key;
delete from takes where assembly is not null or stream > 0;
alter table takes drop column stream, drop column sound_key, drop column picture, drop column slate, drop column sets, drop column tie,
  drop column assembly, drop column part_of, drop column apart, drop column dissolved;
alter table takes add unique (production_id, sha256);
