-- Up Migration
-- One document: what is neither weights nor joints stands at paths, and every edit may change any of it.

alter table characters
  -- Joints as the file has them; filled in from the source where a character came before this.
  add column skeleton jsonb,
  -- The edit that can be undone next, and the undo that can be redone next, by their numbers in the log.
  add column undo_top bigint,
  add column redo_top bigint;

-- The first characters came before arrival was told.
update characters
set summary = jsonb_build_object('arrival', '[]'::jsonb, 'troubles', '[]'::jsonb) || summary
where not summary ?& array['arrival', 'troubles'];

create table document_values (
  character_id uuid not null references characters (id) on delete cascade,
  path text not null constraint document_values_path_length check (length(path) between 1 and 120),
  value jsonb not null,
  primary key (character_id, path)
);

-- What goes with a saved selection, pose or motion and never changes: points, a picture, a file.
create table attachments (
  character_id uuid not null references characters (id) on delete cascade,
  id uuid not null,
  bytes bytea not null constraint attachments_size check (length(bytes) between 1 and 67108864),
  made_at timestamptz not null default now(),
  primary key (character_id, id)
);

-- Weights of a large edit, sent before the edit itself.
create table edit_pieces (
  character_id uuid not null references characters (id) on delete cascade,
  edit_id uuid not null,
  piece integer not null constraint edit_pieces_counts check (piece >= 0),
  bytes bytea not null,
  made_at timestamptz not null default now(),
  primary key (character_id, edit_id, piece)
);

alter table edits
  -- What it did to values, each before and after.
  add column changes jsonb,
  -- In how many pieces its weights are kept, where not in `delta`.
  add column pieces integer not null default 0,
  -- What was on top before: for an edit, the edit that can be undone after it; for an undo, the undo that can be redone.
  add column below bigint,
  drop constraint edits_carry_what_they_need,
  drop constraint edits_joints_only_of_edits,
  add constraint edits_carry_what_they_need check (
    (kind = 'edit' and target is null)
    or (kind <> 'edit' and target is not null and delta is null and joints is null and changes is null and pieces = 0)
  ),
  add constraint edits_pieces_count check (pieces >= 0 and (pieces = 0 or delta is null));

-- What stood in columns and tables of its own.
insert into document_values (character_id, path, value)
select id, 'locks/' || joint, 'true'
from characters, unnest(locked_joints) as joint
on conflict do nothing;

insert into document_values (character_id, path, value)
select id, 'nonDeforming/' || joint, 'true'
from characters, unnest(still_joints) as joint
on conflict do nothing;

insert into document_values (character_id, path, value)
select c.id, section || '/' || item.key, item.value
from characters c,
     unnest(array['pairs', 'confines', 'reaches', 'ranges']) as section,
     jsonb_each(coalesce(c.settings -> section, '{}')) as item
on conflict do nothing;

insert into document_values (character_id, path, value)
select id, 'skinning', '"dual"'
from characters
where settings ->> 'skinning' = 'dual';

insert into document_values (character_id, path, value)
select c.id, 'parts/' || part.key || '/name', part.value -> 'name'
from characters c, jsonb_each(coalesce(c.settings -> 'parts', '{}')) as part
where part.value ? 'name';

insert into document_values (character_id, path, value)
select c.id, 'parts/' || part.key || '/role', '"rigid"'
from characters c, jsonb_each(coalesce(c.settings -> 'parts', '{}')) as part
where part.value ->> 'role' = 'rigid';

insert into document_values (character_id, path, value)
select c.id, 'pieces/' || part.key || '/' || gen_random_uuid(), piece - 'visible'
from characters c,
     jsonb_each(coalesce(c.settings -> 'parts', '{}')) as part,
     jsonb_array_elements(coalesce(part.value -> 'pieces', '[]')) as piece;

insert into document_values (character_id, path, value)
select c.id, 'dismissed/' || gen_random_uuid(), stray
from characters c, jsonb_array_elements(coalesce(c.settings -> 'dismissed', '[]')) as stray;

insert into document_values (character_id, path, value)
select p.character_id, 'pose/' || joint.key, joint.value
from poses p, jsonb_each(p.joints) as joint
where p.name is null;

insert into attachments (character_id, id, bytes)
select character_id, id, decode(split_part(picture, ',', 2), 'base64')
from poses
where name is not null and picture is not null;

insert into document_values (character_id, path, value)
select character_id,
       'poses/' || id,
       jsonb_build_object(
         'name', name,
         'joints', joints,
         'picture', case when picture is null then null else id end,
         'joint', joint,
         'savedAt', floor(extract(epoch from kept_at) * 1000)
       )
from poses
where name is not null;

insert into attachments (character_id, id, bytes)
select character_id, id, points from selections;

insert into document_values (character_id, path, value)
select character_id,
       'selections/' || id,
       jsonb_build_object('name', name, 'attachment', id, 'savedAt', floor(extract(epoch from kept_at) * 1000))
from selections;

insert into attachments (character_id, id, bytes)
select character_id, id, bytes from motions;

insert into document_values (character_id, path, value)
select character_id,
       'motions/' || id,
       jsonb_build_object(
         'name', name, 'attachment', id, 'follows', follows, 'savedAt', floor(extract(epoch from kept_at) * 1000)
       )
from motions;

drop table poses, selections, motions;
alter table characters
  drop column locked_joints,
  drop column still_joints,
  drop column settings;

-- Which edit comes below which, so that nobody has to read a log to its beginning.
do $$
declare
  held record;
  line record;
  done bigint[];
  undone bigint[];
begin
  for held in select id from characters loop
    done := '{}';
    undone := '{}';
    for line in
      select seq, kind, target from edits where character_id = held.id order by seq
    loop
      if line.kind = 'edit' then
        update edits set below = done[cardinality(done)] where character_id = held.id and seq = line.seq;
        done := done || line.seq;
        undone := '{}';
      elsif line.kind = 'undo' then
        update edits set below = undone[cardinality(undone)] where character_id = held.id and seq = line.seq;
        undone := undone || line.seq;
        done := trim_array(done, 1);
      else
        done := done || (select seq from edits where character_id = held.id and id = line.target);
        undone := trim_array(undone, 1);
      end if;
    end loop;
    update characters
    set undo_top = done[cardinality(done)], redo_top = undone[cardinality(undone)]
    where id = held.id;
  end loop;
end
$$;
