-- +goose Up
-- The processes that do work. Each holds an advisory lock named after its ID on a connection of its own.
create table workers (
  id      uuid primary key,
  seen_at timestamptz not null default now()
);

-- Whoever works on something holds its claim, a token that is new at each attempt. What is written of work is written
-- under the claim, so that an attempt that has lost it can change nothing.
alter table work
  add column claim    uuid,
  add column worker   uuid references workers on delete set null,
  add column attempts int not null default 0,
  add column offer    text not null default ''; -- what the user may choose now that it is done
alter table work drop constraint work_state_check;
alter table work add check (state in ('arriving', 'queued', 'running', 'done', 'failed', 'cancelled'));
create index on work (state) where state in ('arriving', 'queued', 'running');

-- Takes know the work that made them, prints and batches the folder that their files lie in.
alter table takes
  add column work_id uuid,
  add column sound   jsonb; -- size, hash and time of the file of its samples, as they were when it was written
update takes set work_id = substring(media_key from 9)::uuid where media_key ~ '^sources/[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$';
create index on takes (work_id);
alter table prints add column folder text not null default '';
update prints set folder = 'prints/' || id;
update work set report = (select jsonb_agg(o || jsonb_build_object('folder', 'batches/' || work.id)) from jsonb_array_elements(report) o)
  where report is not null and jsonb_array_length(report) > 0 and kind in ('unravel', 'ply', 'list');

-- A file is known again by its content and its name: two silent channels of a set are the same bytes.
alter table takes drop constraint takes_production_id_sha256_stream_key;
create index on takes (production_id, sha256);

-- What a reel uses, or used once: its history may bring a clip back. Takes of another production can't be.
alter table takes add unique (id, production_id);
alter table reels add unique (id, production_id);
create table reel_uses (
  reel_id       uuid not null,
  production_id uuid not null,
  take_id       uuid not null,
  primary key (reel_id, take_id),
  constraint reel_uses_reel foreign key (reel_id, production_id) references reels (id, production_id) on delete cascade,
  constraint reel_uses_take foreign key (take_id, production_id) references takes (id, production_id)
);
create index on reel_uses (take_id);
insert into reel_uses (reel_id, production_id, take_id)
  select distinct l.reel_id, t.production_id, t.id
  from reel_log l join reels r on r.id = l.reel_id, jsonb_path_query(l.change, '$.**.take') used
  join takes t on t.id::text = used #>> '{}'
  where t.production_id = r.production_id;

-- What takes are made of.
create table take_parts (
  whole_id uuid not null references takes on delete cascade,
  part_id  uuid not null,
  primary key (whole_id, part_id),
  constraint take_parts_part foreign key (part_id) references takes
);
create index on take_parts (part_id);
insert into take_parts (whole_id, part_id)
  select distinct t.id, p.id from takes t, jsonb_path_query(t.assembly, '$.lanes[*][*]') lane join takes p on p.id::text = lane #>> '{}'
  where t.assembly is not null;

-- Edits of takes: whose they are, and how often the takes of a production have been edited.
alter table take_edits add column author text not null default 'editor';
alter table productions add column takes_revision bigint not null default 0;
-- What undo and redo would do is looked up at every edit.
create index reel_log_done on reel_log (reel_id, revision) where kind = 'do' and state = 'done';
create index reel_log_undone on reel_log (reel_id, revision) where kind = 'do' and state = 'undone';
create index reel_log_done_by on reel_log (reel_id, author, revision) where kind = 'do' and state = 'done';
create index reel_log_undone_by on reel_log (reel_id, author, revision) where kind = 'do' and state = 'undone';

-- A request that is made again, as its answer was lost, is known by its key.
alter table reel_log add column key text;
create unique index reel_log_key on reel_log (reel_id, key) where key is not null;

-- Which folder of media belongs to this database.
create table installation (
  one      boolean primary key default true check (one),
  id       uuid not null default gen_random_uuid(),
  bound_at timestamptz -- when a folder was first given its ID
);
insert into installation default values;

-- Who watches is told of work and takes that change, by production.
-- +goose StatementBegin
create function loom_tell() returns trigger language plpgsql as $$
begin
  perform pg_notify('loom_changed', tg_argv[0] || ' ' || coalesce(new.production_id, old.production_id));
  return null;
end $$;
-- +goose StatementEnd
create trigger tell after insert or update or delete on work for each row execute function loom_tell('work');
create trigger tell after insert or update or delete on takes for each row execute function loom_tell('takes');
create trigger tell after insert or update or delete on matches for each row execute function loom_tell('takes');

-- +goose Down
drop trigger tell on work;
drop trigger tell on takes;
drop trigger tell on matches;
drop function loom_tell;
drop table installation, take_parts, reel_uses;
drop index reel_log_done, reel_log_undone, reel_log_done_by, reel_log_undone_by;
alter table reel_log drop column key;
alter table productions drop column takes_revision;
alter table take_edits drop column author;
alter table takes drop constraint takes_id_production_id_key;
alter table reels drop constraint reels_id_production_id_key;
drop index if exists takes_production_id_sha256_idx;
delete from takes a using takes b where a.id > b.id and a.production_id = b.production_id and a.sha256 = b.sha256 and a.stream = b.stream;
alter table takes add unique (production_id, sha256, stream);
alter table prints drop column folder;
alter table takes drop column work_id, drop column sound;
delete from work where state = 'arriving';
alter table work drop constraint work_state_check;
alter table work add check (state in ('queued', 'running', 'done', 'failed', 'cancelled'));
alter table work drop column claim, drop column worker, drop column attempts, drop column offer;
drop table workers;
