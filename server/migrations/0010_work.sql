-- Up Migration
-- Heavy work of every kind stands in one table: what comes in, and what is asked of characters that are here.
alter table imports rename to jobs;
alter table import_pieces rename to job_pieces;
alter table job_pieces rename column import_id to job_id;
alter index imports_of_account rename to jobs_of_account;
alter table jobs rename constraint imports_name_length to jobs_name_length;
alter table job_pieces rename constraint import_pieces_counts to job_pieces_counts;
alter table jobs drop constraint imports_state_known;
update jobs set state = 'working' where state = 'reading';
alter table jobs
  add constraint jobs_state_known check (state in ('coming', 'waiting', 'working', 'done', 'failed', 'stopped')),
  -- What is to be done: its kind, and the settings of that kind.
  add column work jsonb not null default '{"kind": "import"}',
  -- The character that it is asked of; an import has none yet.
  add column character_id uuid references characters (id) on delete cascade,
  -- Jobs that were asked for together.
  add column batch uuid,
  add column share real not null default 0,
  -- What came of it, in a sentence.
  add column outcome text,
  -- What it made: a page, or a proposal.
  add column result bytea,
  add constraint jobs_once_a_batch unique (batch, character_id);
create index jobs_of_character on jobs (character_id);

-- Down Migration
delete from jobs where work ->> 'kind' <> 'import';
alter table jobs
  drop constraint jobs_once_a_batch,
  drop constraint jobs_state_known,
  drop column work,
  drop column character_id,
  drop column batch,
  drop column share,
  drop column outcome,
  drop column result;
update jobs set state = 'reading' where state = 'working';
alter table jobs add constraint imports_state_known
  check (state in ('coming', 'waiting', 'reading', 'done', 'failed', 'stopped'));
alter table job_pieces rename constraint job_pieces_counts to import_pieces_counts;
alter table jobs rename constraint jobs_name_length to imports_name_length;
alter index jobs_of_account rename to imports_of_account;
alter table job_pieces rename column job_id to import_id;
alter table job_pieces rename to import_pieces;
alter table jobs rename to imports;
