-- Up Migration
create table accounts (
  id uuid primary key default gen_random_uuid(),
  name text not null constraint accounts_name_length check (length(name) between 1 and 120),
  -- The account that a browser on this machine is signed in to by itself; at most one.
  is_local boolean not null default false,
  demo_loaded boolean not null default false,
  created_at timestamptz not null default now()
);
create unique index accounts_one_local on accounts (is_local) where is_local;

-- Sessions as connect-pg-simple keeps them.
create table sessions (
  sid varchar not null primary key,
  sess json not null,
  expire timestamptz not null
);
create index sessions_expire on sessions (expire);

create table characters (
  id uuid primary key default gen_random_uuid(),
  owner_id uuid not null references accounts (id) on delete cascade,
  name text not null constraint characters_name_length check (length(name) between 1 and 120),
  -- What the shelf shows: counts, parts and troubles, as the contract has them.
  summary jsonb not null,
  picture bytea,
  source_bytes bigint not null constraint characters_source_size check (source_bytes between 1 and 268435456),
  -- The number of the last edit; 0 before the first.
  head bigint not null default 0 constraint characters_head_counts check (head >= 0),
  locked_joints integer[] not null default '{}',
  created_at timestamptz not null default now(),
  touched_at timestamptz not null default now(),
  removed_at timestamptz
);
create index characters_of_owner on characters (owner_id, touched_at desc) where removed_at is null;

-- The source file as it came, in pieces that a driver can carry.
create table source_pieces (
  character_id uuid not null references characters (id) on delete cascade,
  piece integer not null constraint source_pieces_counts check (piece >= 0),
  bytes bytea not null,
  primary key (character_id, piece)
);

-- The log of a character: it only grows. An undo is a line of its own that names the edit it takes back.
create table edits (
  character_id uuid not null references characters (id) on delete cascade,
  seq bigint not null constraint edits_seq_counts check (seq > 0),
  id uuid not null,
  kind text not null constraint edits_kind_known check (kind in ('edit', 'undo', 'redo')),
  label text not null constraint edits_label_length check (length(label) between 1 and 200),
  target uuid,
  delta bytea,
  made_at timestamptz not null default now(),
  primary key (character_id, seq),
  constraint edits_id_once unique (character_id, id),
  constraint edits_carry_what_they_need check (
    (kind = 'edit' and delta is not null and target is null) or (kind <> 'edit' and delta is null and target is not null)
  )
);

-- Weights at some edits, so that the head is the last of these and a few edits. Number 0 is the file's own.
create table checkpoints (
  character_id uuid not null references characters (id) on delete cascade,
  seq bigint not null constraint checkpoints_seq_counts check (seq >= 0),
  weights bytea not null,
  made_at timestamptz not null default now(),
  primary key (character_id, seq)
);

-- Poses of a character. The one without a name is what stands on the stage.
create table poses (
  id uuid primary key default gen_random_uuid(),
  character_id uuid not null references characters (id) on delete cascade,
  name text constraint poses_name_length check (length(name) between 1 and 120),
  joints jsonb not null,
  kept_at timestamptz not null default now()
);
create unique index poses_one_on_stage on poses (character_id) where name is null;
create unique index poses_name_once on poses (character_id, name) where name is not null;

-- Down Migration
drop table poses, checkpoints, edits, source_pieces, characters, sessions, accounts;
