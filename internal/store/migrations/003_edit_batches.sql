-- +goose Up
-- Edits that were made at once are undone at once: they carry the ID of the first of them.
alter table take_edits add column batch bigint;

-- +goose Down
alter table take_edits drop column batch;
