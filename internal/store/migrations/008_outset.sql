-- +goose Up
-- What a new reel of the production begins with (reel.Outset); null for stems alone.
alter table productions add column outset jsonb;

-- +goose Down
alter table productions drop column outset;
