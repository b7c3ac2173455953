-- +goose Up
-- What the channels of a take go through wherever they sound. A reel that has the take on it gets a revision of its own whenever that changes.
alter table takes add column treatments jsonb;
create index on takes (production_id) where treatments is not null;
alter table reel_log drop constraint reel_log_kind_check;
alter table reel_log add constraint reel_log_kind_check check (kind in ('do', 'undo', 'redo', 'treat'));

-- +goose Down
delete from reel_log where kind = 'treat';
alter table reel_log drop constraint reel_log_kind_check;
alter table reel_log add constraint reel_log_kind_check check (kind in ('do', 'undo', 'redo'));
alter table takes drop column treatments;
