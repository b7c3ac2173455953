-- +goose Up
-- Words of its own by which a production reads names.
alter table productions add column words jsonb not null default '[]';

-- +goose Down
alter table productions drop column words;
