-- Up Migration
-- A log that can be looked into: who made each line, and what it touched. Where `points` is null, nobody has looked yet.
alter table edits
  -- The name that the account had.
  add column author text,
  -- Whether what was there before is kept as a moment.
  add column is_large boolean not null default false,
  -- How many points' weights it changed; which parts; which joints' weights, setups or values.
  add column points integer,
  add column parts integer[],
  add column touched_joints integer[],
  -- Which points: see pointRuns.ts.
  add column places bytea;
create index edits_large on edits (character_id, seq) where is_large;

-- Down Migration
drop index edits_large;
alter table edits
  drop column author,
  drop column is_large,
  drop column points,
  drop column parts,
  drop column touched_joints,
  drop column places;
