-- +goose Up
-- What lists show of rows stands beside what they hold, so that a list need not unpack all of it. Each is worked out by the database, so
-- that it can't differ from what it is of.
alter table prints
  add column spec_id text generated always as (coalesce(plan->'spec'->>'id', '')) stored,
  add column title   text generated always as (coalesce(plan->'spec'->>'title', '')) stored,
  add column passed  boolean generated always as ((report->>'pass')::boolean and coalesce((receipt->>'pass')::boolean, true)) stored,
  add column verdict text generated always as (case receipt->>'pass' when 'true' then 'accepted' when 'false' then 'refused' else 'unchecked' end) stored,
  add column checked_by text generated always as (report->>'checkedBy') stored,
  add column movie   boolean generated always as (jsonb_path_exists(plan, '$.files[*].container ? (@ != "wave" && @ != "bw64")')) stored,
  add column pace    double precision generated always as ((report->>'seconds')::float / nullif((report->>'made')::float, 0)) stored;
create index on prints (movie, created_at desc) where pace > 0;
create index on prints (reel_id, spec_id);

alter table receipts
  add column asked  boolean generated always as (spec is not null) stored,
  add column passed boolean generated always as ((receipt->>'pass')::boolean) stored;

alter table takes
  add column has_sound boolean generated always as (case when jsonb_typeof(channels) = 'array' then jsonb_array_length(channels) > 0 else false end) stored,
  add column stamped   boolean generated always as (coalesce(description->>'startSamples', '') <> '') stored,
  add column damaged   boolean generated always as (coalesce((description->>'recovered')::boolean, false)) stored,
  -- by roll and time stamp, those without come last, then by name; no two are the same. What a file says may be of any length, and an
  -- index is not.
  add column sort      text collate "C" generated always as (
    case when coalesce(slate->>'roll', description->>'roll', '') = '' then '1' else '0' end || left(coalesce(slate->>'roll', description->>'roll', ''), 200) || '  '
    || lpad(left(coalesce(description->>'startSamples', '9223372036854775807'), 19), 19, '0') || '  ' || left(file_name, 200) || '  ' || lpad(stream::text, 6, '0')
    || '  ' || id::text) stored,
  -- the transaction that changed it last, so that whoever has seen all others that were open then is told of what came since
  add column touched   xid8 not null default pg_current_xact_id();
create index on takes (production_id, sort) where part_of is null and not dissolved;
create index takes_listed on takes (production_id) include (kind, has_sound, stamped, damaged) where part_of is null and not dissolved;
create index on takes (production_id, touched);
create index on takes ((tie->>'reference')) where tie is not null;
alter table productions add column renamed xid8 not null default pg_current_xact_id(); -- the transaction that changed how names are read last

-- +goose StatementBegin
create function loom_touch() returns trigger language plpgsql as $$
begin
  new.touched := pg_current_xact_id();
  return new;
end $$;
-- +goose StatementEnd
create trigger touch before insert or update on takes for each row execute function loom_touch();
-- +goose StatementBegin
create function loom_rename() returns trigger language plpgsql as $$
begin
  new.renamed := pg_current_xact_id();
  return new;
end $$;
-- +goose StatementEnd
create trigger rename before update of rules, words, frame_rate on productions for each row execute function loom_rename();

-- What foreign keys and questions ask by.
create index on take_edits (take_id);
create index on matches (reference_id);
create index on receipts (print_id);
create index on work (worker) where worker is not null;
create index work_failed on work (production_id) where state = 'failed';
create index on cut_lists (production_id);
create index on productions (pattern_id);
create index on specs (production_id);

-- +goose Down
drop index specs_production_id_idx, productions_pattern_id_idx, cut_lists_production_id_idx, work_worker_idx, work_failed, receipts_print_id_idx,
  matches_reference_id_idx, take_edits_take_id_idx;
drop trigger rename on productions;
drop trigger touch on takes;
drop function loom_rename, loom_touch;
alter table productions drop column renamed;
alter table takes drop column touched, drop column sort, drop column damaged, drop column stamped, drop column has_sound;
alter table receipts drop column asked, drop column passed;
alter table prints drop column spec_id, drop column title, drop column passed, drop column verdict, drop column checked_by, drop column movie, drop column pace;
