-- +goose Up
alter table takes add column findings jsonb; -- for each channel what diagnosing found; null until it has

-- +goose Down
alter table takes drop column findings;
