-- +goose Up
-- An output group that is brought to its limits.
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle', 'list', 'deliver', 'check', 'correct'));

-- +goose Down
delete from work where kind = 'correct';
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle', 'list', 'deliver', 'check'));
