-- +goose Up
-- Prints wait in an order that can be changed: the lowest turn comes first.
alter table work add column turn double precision not null default extract(epoch from clock_timestamp());
update work set turn = extract(epoch from created_at);

-- +goose Down
alter table work drop column turn;
