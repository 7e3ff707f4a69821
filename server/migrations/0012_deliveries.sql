-- Up Migration
-- What left, and how: any delivery can be fetched again, to the bit.
create table deliveries (
  id uuid primary key,
  character_id uuid not null references characters (id) on delete cascade,
  account_id uuid references accounts (id) on delete set null,
  made_at timestamptz not null default now(),
  -- The line of the log that it was made at.
  head integer not null,
  file text not null,
  bytes bigint not null,
  delivery jsonb not null,
  profile text not null,
  lines jsonb not null,
  -- In scene units; null where nobody measured.
  cost double precision,
  constraint deliveries_counts check (head >= 0 and bytes > 0 and cost >= 0)
);
create index deliveries_of_character on deliveries (character_id, made_at desc);

create table delivery_pieces (
  delivery_id uuid not null references deliveries (id) on delete cascade,
  piece integer not null,
  bytes bytea not null,
  primary key (delivery_id, piece)
);

-- Figures of a report, for programs.
alter table jobs add column figures jsonb;

-- Down Migration
alter table jobs drop column figures;
drop table delivery_pieces;
drop table deliveries;
