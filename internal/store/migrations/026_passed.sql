-- +goose Up
-- A step that its author has passed by: undo and redo go on to the one before.
alter table reel_log drop constraint reel_log_state_check;
alter table reel_log add constraint reel_log_state_check check (state in ('done', 'undone', 'dropped', 'passed'));

-- +goose Down
update reel_log set state = 'dropped' where state = 'passed';
alter table reel_log drop constraint reel_log_state_check;
alter table reel_log add constraint reel_log_state_check check (state in ('done', 'undone', 'dropped'));
