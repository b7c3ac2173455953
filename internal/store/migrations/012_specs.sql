-- +goose Up
-- A spec of the users' own belongs to a production or to all, and what it was before is kept: each change is a version.
alter table specs drop constraint specs_pkey;
alter table specs
  add column production_id uuid references productions on delete cascade, -- null for all productions
  add column version integer not null default 1,
  add column author  text not null default '',
  add column kept_at timestamptz not null default now();
alter table specs add constraint specs_once unique nulls not distinct (production_id, id, version);

-- +goose Down
delete from specs where production_id is not null;
delete from specs s where exists (select from specs t where t.id = s.id and t.version > s.version);
alter table specs drop constraint specs_once, drop column production_id, drop column version, drop column author, drop column kept_at;
alter table specs add primary key (id);
