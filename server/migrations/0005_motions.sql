-- Up Migration
-- Motions that were dropped on a character: the text of a .bvh file, as it came.
create table motions (
  id uuid primary key default gen_random_uuid(),
  character_id uuid not null references characters (id) on delete cascade,
  name text not null constraint motions_name_length check (length(name) between 1 and 120),
  -- Joint of the character → joint of the motion that it follows, where a person has corrected it; -1 for none.
  follows jsonb not null default '{}',
  bytes bytea not null constraint motions_size check (length(bytes) between 1 and 67108864),
  kept_at timestamptz not null default now()
);
create index motions_of_character on motions (character_id, kept_at);

-- The joint that a kept pose belongs to, if it belongs to one.
alter table poses
  add column joint integer constraint poses_joint_counts check (joint between 0 and 4095);
