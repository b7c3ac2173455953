-- +goose Up
-- How far the folder of media is known to have noted that the database had counted, and which folder each process works in.
alter table installation add column noted bigint not null default 0;
alter table workers add column folder text not null default '';

-- +goose Down
alter table workers drop column folder;
alter table installation drop column noted;
