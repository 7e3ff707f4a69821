-- Up Migration
-- Joints as they are set up at the head, where that differs from the file: by index; null for one that was taken out.
alter table characters
  add column joint_setups jsonb not null default '{}';

-- What an edit did to joints, each before and after; nothing for most.
alter table edits
  add column joints jsonb constraint edits_joints_only_of_edits check (joints is null or kind = 'edit');
