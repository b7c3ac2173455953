-- +goose Up
-- Chains that a production keeps under a name.
create table chains (
	id uuid primary key default gen_random_uuid(),
	production_id uuid not null references productions on delete cascade,
	name text not null,
	steps jsonb not null,
	changed_at timestamptz not null default now(),
	unique (production_id, name)
);

-- +goose Down
drop table chains;
