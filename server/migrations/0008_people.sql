-- Up Migration
-- Who may do what: characters stand on shelves, and people are on a shelf in a role.
create table shelves (
  id uuid primary key default gen_random_uuid(),
  name text not null constraint shelves_name_length check (length(name) between 1 and 120),
  -- The account whose own shelf it is; null for a team's.
  own_of uuid unique references accounts (id) on delete cascade,
  created_at timestamptz not null default now()
);

create table shelf_members (
  shelf_id uuid not null references shelves (id) on delete cascade,
  account_id uuid not null references accounts (id) on delete cascade,
  role text not null constraint shelf_members_role_known check (role in ('owner', 'painter', 'guest')),
  since timestamptz not null default now(),
  primary key (shelf_id, account_id)
);
create index shelf_members_of_account on shelf_members (account_id);

insert into shelves (name, own_of) select name, id from accounts;
insert into shelf_members (shelf_id, account_id, role) select id, own_of, 'owner' from shelves;

alter table characters add column shelf_id uuid references shelves (id) on delete cascade;
update characters set shelf_id = shelves.id from shelves where shelves.own_of = characters.owner_id;
alter table characters alter column shelf_id set not null;
drop index characters_demo_once;
drop index characters_of_owner;
alter table characters drop column owner_id;
create index characters_on_shelf on characters (shelf_id, touched_at desc) where removed_at is null;
create unique index characters_demo_once on characters (shelf_id, demo) where demo is not null;

-- A name to sign in with; an account without a password is entered by a key only.
alter table accounts add column password_hash text;
create unique index accounts_name_once on accounts (lower(name));

-- Keys in an address, each used once: what they open, never they themselves.
create table entry_keys (
  hash bytea primary key,
  account_id uuid not null references accounts (id) on delete cascade,
  made_at timestamptz not null default now(),
  expires_at timestamptz not null
);

create table invitations (
  id uuid primary key default gen_random_uuid(),
  hash bytea not null unique,
  shelf_id uuid not null references shelves (id) on delete cascade,
  role text not null constraint invitations_role_known check (role in ('owner', 'painter', 'guest')),
  made_by uuid not null references accounts (id) on delete cascade,
  made_at timestamptz not null default now(),
  expires_at timestamptz not null
);

create table comments (
  id uuid primary key,
  character_id uuid not null references characters (id) on delete cascade,
  account_id uuid not null references accounts (id) on delete cascade,
  text text not null constraint comments_text_length check (length(text) between 1 and 2000),
  -- What it is about: a point of a part, where it was when it was written, and a joint.
  part integer,
  point integer,
  joint integer,
  made_at timestamptz not null default now(),
  settled_at timestamptz,
  constraint comments_point_of_a_part check ((part is null) = (point is null))
);
create index comments_on_character on comments (character_id, made_at);

-- Who has a character open, a row for each page. Of no worth after a crash.
create unlogged table presence (
  character_id uuid not null references characters (id) on delete cascade,
  page uuid not null,
  account_id uuid not null references accounts (id) on delete cascade,
  joint integer,
  seen_at timestamptz not null default now(),
  primary key (character_id, page)
);

-- Under which address a page has a character open, until it is closed with everything saved: a browser keeps what is unsent
-- by address, so what is left here says where to look for it.
create table openings (
  character_id uuid not null references characters (id) on delete cascade,
  page uuid not null,
  account_id uuid not null references accounts (id) on delete cascade,
  address text not null,
  seen_at timestamptz not null default now(),
  primary key (character_id, page)
);

-- How often somebody tried to come in, as rate-limiter-flexible keeps it.
create unlogged table tries (
  key varchar(255) primary key,
  points integer not null default 0,
  expire bigint
);

-- Down Migration
drop table tries, openings, presence, comments, invitations, entry_keys;
