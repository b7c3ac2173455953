-- +goose Up
-- Files that prints have made, by a sum over all that decides what they are: what is to be made again and has not changed is
-- taken from here. The rows of a print that is not finished lie in a folder of its own, until it is.
create table made (
  fingerprint text not null,
  print_id    uuid not null references prints on delete cascade,
  key         text not null,
  size        bigint not null,
  sha256      text not null,
  groups      jsonb not null, -- what was measured of what it holds, while it was printed
  made_at     timestamptz not null,
  primary key (fingerprint, print_id)
);
create index on made (print_id);

-- +goose Down
drop table made;
