-- Up Migration
-- Joints whose deforming is off: bindings give them no weight.
alter table characters
  add column still_joints integer[] not null default '{}';
