-- +goose Up
-- What reels have in common, saved under a name (reel.Pattern). What new reels of a production began with becomes one of them.
create table patterns (
    id uuid primary key default gen_random_uuid(),
    name text not null unique,
    document jsonb not null,
    changed_at timestamptz not null default now()
);
alter table productions add column pattern_id uuid references patterns on delete set null;

insert into patterns (name, document)
select left(p.name, 40) || ', ' || left(coalesce(nullif(outset->>'of', ''), 'reel'), 40) || ' ' || left(p.id::text, 8), jsonb_strip_nulls(jsonb_build_object(
    'pattern', 1,
    'name', left(p.name, 40) || ', ' || left(coalesce(nullif(outset->>'of', ''), 'reel'), 40) || ' ' || left(p.id::text, 8),
    'spec', outset->'spec', 'panLaw', outset->'panLaw', 'speakers', outset->'angles',
    'stems', coalesce((select jsonb_agg(value - 'order' order by (value->>'order')::int) from jsonb_each(outset->'stems')), '[]'),
    'mixes', (select jsonb_agg(value - 'order' order by (value->>'order')::int) from jsonb_each(nullif(outset->'mixes', 'null'))),
    'groups', (select jsonb_agg(value - 'order' order by (value->>'order')::int) from jsonb_each(nullif(outset->'groups', 'null'))),
    'knots', (select jsonb_agg(value - 'id' order by key) from jsonb_each(nullif(outset->'knots', 'null')))))
from productions p where outset is not null;
update productions p set pattern_id = (select id from patterns where name = left(p.name, 40) || ', ' || left(coalesce(nullif(p.outset->>'of', ''), 'reel'), 40) || ' ' || left(p.id::text, 8))
where outset is not null;
alter table productions drop column outset;

-- +goose Down
alter table productions add column outset jsonb;
alter table productions drop column pattern_id;
drop table patterns;
