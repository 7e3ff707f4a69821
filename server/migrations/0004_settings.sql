-- Up Migration
-- How a character is worked on, as the contract's characterSettings has it: corrected pairs, names of parts, and the like.
alter table characters
  add column settings jsonb not null default '{}';

-- Saved selections: points of parts under a name, as a frame of the contract.
create table selections (
  id uuid primary key default gen_random_uuid(),
  character_id uuid not null references characters (id) on delete cascade,
  name text not null constraint selections_name_length check (length(name) between 1 and 120),
  points bytea not null,
  kept_at timestamptz not null default now()
);
create index selections_of_character on selections (character_id, kept_at);

-- A small picture of a pose that was kept under a name, as a data address of a PNG.
alter table poses
  add column picture text constraint poses_picture_length check (length(picture) <= 200000);
