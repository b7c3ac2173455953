-- +goose Up
-- What the desk has said of a print when it was made.
alter table prints add column receipt jsonb;

-- +goose Down
alter table prints drop column receipt;
