-- +goose Up
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle'));

-- +goose Down
delete from work where kind = 'settle';
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose'));
