-- Accounts of our own users, and their sessions. A session's token is kept only as its SHA-256.
create table account (
  id integer generated always as identity primary key,
  name text not null,
  address text not null unique check (address = lower(address)),
  role text not null check (role in ('steward', 'auditor', 'owner')),
  password_hash text not null,
  created_at timestamptz not null
);
create table session (
  token_hash text primary key,
  account integer not null references account on delete cascade,
  created_at timestamptz not null,
  seen_at timestamptz not null
);
create table sign_in_failure (
  address text not null,
  at timestamptz not null
);
create index on sign_in_failure (address, at);

create table setting (
  name text primary key,
  value jsonb not null
);

-- Where surveys read from: one directory of people, and workspaces. The token is encrypted.
create table source (
  id text primary key,
  kind text not null check (kind in ('directory', 'drives')),
  name text not null,
  url text not null,
  token text not null,
  created_at timestamptz not null
);

-- A survey observes sources; a read-back observes only what a plan changed. Both are numbered in
-- one line, and every observed row is valid from one number up to (not including) another.
create table survey (
  id integer generated always as identity primary key,
  kind text not null check (kind in ('full', 'read-back')),
  state text not null check (state in ('running', 'done', 'failed', 'cancelled', 'interrupted')),
  started_by text not null,
  started_at timestamptz not null,
  finished_at timestamptz,
  taken_at timestamptz,
  plan integer,
  reason text
);
create table survey_step (
  survey integer not null references survey,
  seq integer not null,
  name text not null,
  state text not null,
  done integer not null default 0,
  total integer,
  failed integer not null default 0,
  started_at timestamptz,
  finished_at timestamptz,
  primary key (survey, seq)
);
create table survey_failure (
  survey integer not null references survey,
  step text not null,
  object text not null,
  reason text not null
);
create index on survey_failure (survey);

-- What was seen: the rows of the extract, kind by kind, each in every version it has had.
create table observed (
  kind text not null,
  source text not null,
  id text not null,
  doc jsonb not null,
  valid_from integer not null,
  valid_to integer
) partition by list (kind);
create table observed_about partition of observed for values in ('about');
create table observed_person partition of observed for values in ('person');
create table observed_group partition of observed for values in ('group');
create table observed_space partition of observed for values in ('space');
create table observed_item partition of observed for values in ('item');
create table observed_grant partition of observed for values in ('grant');
create table observed_link partition of observed for values in ('link');
create table observed_content partition of observed for values in ('content');
create unique index on observed (kind, source, id, valid_from);
create unique index on observed (kind, source, id) where valid_to is null;

-- What a running survey has read so far; emptied when it ends. Lost in a crash, and may be.
create unlogged table staged (
  survey integer not null,
  kind text not null,
  source text not null,
  id text not null,
  doc jsonb not null
);
create index on staged (kind, source, id);

create table finding (
  id integer generated always as identity primary key,
  source text not null,
  item text not null,
  state text not null check (state in ('open', 'accepted', 'fixed', 'reopened')),
  severity text not null check (severity in ('low', 'medium', 'high', 'critical')),
  points integer not null,
  weight smallint not null,
  now_tier smallint not null,
  could_tier smallint not null,
  summary jsonb not null,
  first_survey integer not null,
  last_survey integer not null,
  unique (source, item)
);
create index on finding (points desc);
create table finding_event (
  finding integer not null references finding,
  at timestamptz not null,
  survey integer,
  what text not null,
  detail jsonb not null default '{}'
);
create index on finding_event (finding);

-- Changes picked up and not yet in a plan, by account.
create table tray (
  account integer not null references account on delete cascade,
  seq integer generated always as identity,
  kind text not null check (kind in ('grant', 'link')),
  source text not null,
  object text not null,
  primary key (account, kind, source, object)
);

create table plan (
  id integer generated always as identity primary key,
  name text not null,
  reason text not null,
  state text not null check (state in
    ('draft', 'applying', 'applied', 'undoing', 'undone', 'discarded')),
  survey integer not null references survey,
  made_by text not null,
  made_at timestamptz not null,
  applied_at timestamptz,
  finished_at timestamptz,
  preview jsonb not null
);
-- A change is recorded before it is sent. `state` says how far it has come, in either direction.
create table plan_change (
  id integer generated always as identity primary key,
  plan integer not null references plan,
  seq integer not null,
  kind text not null check (kind in ('grant', 'link')),
  source text not null,
  object text not null,
  before jsonb not null,
  state text not null check (state in
    ('planned', 'sending', 'sent', 'verified', 'already-gone', 'unexpected', 'failed',
     'undo-sending', 'undo-sent', 'undone', 'undo-unexpected', 'undo-failed')),
  apply_key text not null unique,
  undo_key text not null unique,
  note text,
  changed_at timestamptz,
  unique (plan, seq)
);

create table ledger (
  seq integer primary key,
  at text not null,
  who text not null,
  what text not null,
  subject text not null,
  before jsonb,
  after jsonb,
  previous text not null,
  hash text not null unique
);
