-- +goose Up
-- Deliveries that the desk has looked at, ours and other people's.
create table receipts (
  id            uuid primary key references work on delete cascade,
  production_id uuid not null references productions on delete cascade,
  print_id      uuid references prints on delete cascade, -- where it is one of ours
  name          text not null,
  folder        text not null, -- key of the folder that its files lie in
  spec          jsonb,         -- as it was held against; null where the desk is only to say what it is
  packaging     text not null,
  receipt       jsonb,
  created_at    timestamptz not null default now()
);
create index on receipts (production_id, created_at desc);
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle', 'list', 'deliver', 'check'));

-- +goose Down
delete from work where kind = 'check';
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle', 'list', 'deliver'));
drop table receipts;
