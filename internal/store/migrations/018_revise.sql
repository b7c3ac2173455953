-- +goose Up
-- Parts of deliveries that are replaced.
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle', 'list', 'deliver', 'check', 'correct', 'level', 'revise'));

-- +goose Down
delete from work where kind = 'revise';
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle', 'list', 'deliver', 'check', 'correct', 'level'));
