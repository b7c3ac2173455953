-- +goose Up
create table cut_lists (
    id uuid primary key default gen_random_uuid(),
    production_id uuid not null references productions on delete cascade,
    name text not null,
    list jsonb not null, -- title, frame rate and entries, as they lie on the reel that the list was read for
    created_at timestamptz not null default now()
);
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle', 'list'));

-- +goose Down
delete from work where kind = 'list';
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle'));
drop table cut_lists;
