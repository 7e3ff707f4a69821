-- Up Migration
-- Files on their way to a shelf. The queue says that there is work; this says what became of it, and who is at it.
create table imports (
  -- Becomes the character's: done twice it is there once.
  id uuid primary key,
  account_id uuid not null references accounts (id) on delete cascade,
  shelf_id uuid not null references shelves (id) on delete cascade,
  name text not null constraint imports_name_length check (length(name) between 1 and 120),
  bytes bigint not null default 0,
  state text not null default 'coming' constraint imports_state_known
    check (state in ('coming', 'waiting', 'reading', 'done', 'failed', 'stopped')),
  -- Why it failed, as an answer would say it.
  failure jsonb,
  tries integer not null default 0,
  made_at timestamptz not null default now(),
  -- When whoever is at it last said so.
  seen_at timestamptz not null default now()
);
create index imports_of_account on imports (account_id, made_at desc);

create table import_pieces (
  import_id uuid not null references imports (id) on delete cascade,
  piece integer not null constraint import_pieces_counts check (piece >= 0),
  bytes bytea not null,
  primary key (import_id, piece)
);

-- Down Migration
drop table import_pieces, imports;
