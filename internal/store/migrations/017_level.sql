-- +goose Up
-- Files that are brought to a loudness.
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle', 'list', 'deliver', 'check', 'correct', 'level'));

-- +goose Down
delete from work where kind = 'level';
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle', 'list', 'deliver', 'check', 'correct'));
