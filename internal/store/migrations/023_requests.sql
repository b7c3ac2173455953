-- +goose Up
-- What requests with keys of their own have made, in the order in which each made it, so that one that is made again makes nothing twice.
create table requests (
  key    text not null,
  n      int not null,
  digest text not null, -- of the request: the same key with another one is refused
  result text not null default '',
  answer jsonb, -- what the request was answered with, where n is -1
  at     timestamptz not null default now(),
  primary key (key, n)
);
create index on requests (at);
alter table reel_log add column digest text not null default '';

-- +goose Down
alter table reel_log drop column digest;
drop table requests;
