-- +goose Up
-- Deliveries are written into folders of the server.
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle', 'list', 'deliver'));

-- +goose Down
delete from work where kind = 'deliver';
alter table work drop constraint work_kind_check;
alter table work add check (kind in ('import', 'print', 'unravel', 'ply', 'sync', 'convert', 'diagnose', 'settle', 'list'));
