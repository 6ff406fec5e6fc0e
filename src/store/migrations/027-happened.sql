-- What happens at workspaces: how each tells of it, and everything that was told, once.
create table event_source (
  source text primary key,
  -- with what a workspace signs what it sends, sealed; none: it does not send
  secret text,
  made_at timestamptz,
  made_by text,
  -- as far as the workspace was asked what happened; none: it was not asked yet
  cursor text,
  asked_at timestamptz,
  trouble text
);

create table happened (
  seq bigint generated always as identity primary key,
  told_by text not null,
  source text not null,
  id text not null,
  type text not null,
  time timestamptz not null,
  received_at timestamptz not null,
  actor_key text not null,
  node_key text not null,
  doc jsonb not null,
  unique (told_by, source, id)
);
create index on happened (time);
create index on happened (actor_key, time);
create index on happened (node_key, time);

-- Signals: what is looked for as it happens, and what was found.
create table signal_pattern (
  id int generated always as identity primary key,
  version int not null,
  removed_at timestamptz
);
create table signal_pattern_version (
  pattern int not null references signal_pattern,
  version int not null,
  doc jsonb not null,
  made_at timestamptz not null,
  made_by text not null,
  primary key (pattern, version)
);

create table signal (
  id bigint generated always as identity primary key,
  pattern int not null references signal_pattern,
  -- of the pattern by which it was found
  version int not null,
  key text not null,
  first_at timestamptz not null,
  last_at timestamptz not null,
  events int not null,
  distinct_values int not null,
  state text not null default 'waiting',
  -- who looked at it last, when, and what they said
  looked jsonb,
  found_at timestamptz not null,
  -- signals that share an event are about one thing, and have this number in common
  about bigint not null default 0
);
create index on signal (state, last_at);
create index on signal (about);
create index on signal (pattern, key);

create table signal_event (
  signal bigint not null references signal on delete cascade,
  seq bigint not null references happened on delete cascade,
  value text not null,
  primary key (signal, seq)
);
create index on signal_event (seq);

-- Up to which event what follows events has come.
create table follower (
  name text primary key,
  seq bigint not null
);
