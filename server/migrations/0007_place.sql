-- Up Migration
-- What belongs to the place as a whole: the secret that signs cookies, which all its servers share, and the like.
create table place (
  name text primary key,
  value text not null
);

-- Which of the demo's characters this is, so that an interrupted making of them goes on where it stopped.
-- And since when a character file has been coming in; not on the shelf until it is whole.
alter table characters
  add column demo text constraint characters_demo_length check (length(demo) between 1 and 40),
  add column arriving_at timestamptz;
create unique index characters_demo_once on characters (owner_id, demo) where demo is not null;

-- The making of the demo was interrupted here for good.
update accounts
set demo_loaded = false
where demo_loaded and not exists (select from characters where owner_id = accounts.id);
