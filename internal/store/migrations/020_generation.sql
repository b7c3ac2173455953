-- +goose Up
-- Counts with what works on the media folder, which notes it too: a database that counts less than its folder is an older one put back.
alter table installation add column generation bigint not null default 0;

-- +goose Down
alter table installation drop column generation;
